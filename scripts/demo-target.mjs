/** The target of the demo's environment “New data centre”: nobody has this address (RFC 4193: 40 bits of it are random), so nothing that is sent there arrives. */
export const newDataCentre = 'http://[fd5c:8e17:a3d9:1::20]:8080';
