import ipaddr from 'ipaddr.js';

/**
 * Where an IP address leads: this machine, a private network, the public internet, or nowhere that a test may go. Ranges are those of the IANA
 * registries of special-purpose addresses (RFC 6890).
 */
export type Reach = 'loopback' | 'private' | 'public' | 'forbidden';

/** An IP address as it is judged: what it is whatever it was written or wrapped as. */
export interface JudgedAddress {
  /** In canonical form (RFC 5952 for IPv6), without a zone. */
  address: string;
  reach: Reach;
  /** Why nothing may ever be sent there, in a sentence; null where something may. */
  forbidden: string | null;
}

/** Addresses under which clouds give machines their credentials (handbooks of the providers, from memory); link-local ones are refused anyway. */
const metadataAddresses = new Set(['fd00:ec2::254', 'fd20:ce::254', '100.100.100.200', '168.63.129.16', '192.0.0.192'].map(canonical));
/** Names of the same services. */
const metadataNames = /^(metadata|metadata\.google\.internal|instance-data|instance-data\.ec2\.internal)\.?$/i;

const reachOfRange: Readonly<Record<string, Exclude<Reach, 'forbidden'>>> = {
  loopback: 'loopback',
  private: 'private',
  carrierGradeNat: 'private',
  uniqueLocal: 'private',
  unicast: 'public',
};
const rangeWords: Readonly<Record<string, string>> = {
  linkLocal: 'is link-local: what answers there may be the machine itself, or the service that gives it its credentials',
  multicast: 'is a group of machines, not one',
  broadcast: 'is all machines of a network, not one',
  unspecified: 'is no address of a machine. Write 127.0.0.1 for this one',
};

function canonical(address: string): string {
  return ipaddr.parse(address).toString();
}

/** The IPv4 address that an IPv6 one carries in two of its groups of 16 bits, from `at` on; `mask` turns its bits over. */
function embedded(address: ipaddr.IPv6, at: number, mask = 0): ipaddr.IPv4 {
  const [high = 0, low = 0] = [address.parts[at], address.parts[at + 1]].map((part = 0) => part ^ mask);
  return new ipaddr.IPv4([high >> 8, high & 0xff, low >> 8, low & 0xff]);
}

/** What an IPv6 address carries of IPv4: mapped (RFC 4291, 2.5.5), translated (RFC 6052), 6to4 (RFC 3056), Teredo (RFC 4380); null for none. */
function carried(address: ipaddr.IPv6): { inner: ipaddr.IPv4; isTheSame: boolean } | null {
  if (address.isIPv4MappedAddress()) return { inner: embedded(address, 6), isTheSame: true };
  // IPv4-compatible, no longer used: ::7f00:1, which some systems still take for 127.0.0.1.
  if (address.parts.slice(0, 6).every((part) => part === 0) && (address.parts[6] ?? 0) > 0)
    return { inner: embedded(address, 6), isTheSame: false };
  switch (address.range()) {
    case 'rfc6052':
    case 'rfc6145':
      return { inner: embedded(address, 6), isTheSame: false };
    case '6to4':
      return { inner: embedded(address, 1), isTheSame: false };
    case 'teredo':
      return { inner: embedded(address, 6, 0xffff), isTheSame: false };
    default:
      return null;
  }
}

/** An IP address in full, parsed: four decimal parts, or IPv6 as the URL standard reads it (3.5); null where the text is none. */
function parsedAddress(text: string): ipaddr.IPv4 | ipaddr.IPv6 | null {
  if (ipaddr.IPv4.isValidFourPartDecimal(text)) return ipaddr.IPv4.parse(text);
  const inUrl = `http://[${text}]`;
  return URL.canParse(inUrl) ? ipaddr.IPv6.parse(new URL(inUrl).hostname.slice(1, -1)) : null;
}

/** Judges an IP address; null where the text is none. IPv4 in IPv6 is judged by what it carries. */
export function judgeAddress(text: string): JudgedAddress | null {
  const parsed = parsedAddress(text.replace(/^\[|\]$/g, '').replace(/%.*$/, ''));
  if (parsed === null) return null;
  const inner = parsed instanceof ipaddr.IPv6 ? carried(parsed) : null;
  if (inner) {
    const judged = judgeAddress(inner.inner.toString());
    if (inner.isTheSame || judged === null) return judged;
    const address = parsed.toString();
    // Another network unwraps it, perhaps within this machine: nothing but a public address is meant by such a way.
    return judged.reach === 'public'
      ? { ...judged, address }
      : { address, reach: 'forbidden', forbidden: `${address} leads to ${judged.address} by a way around. Write that address instead.` };
  }
  const address = parsed.toString();
  const range = parsed.range();
  const words = metadataAddresses.has(address)
    ? 'belongs to the service that gives machines of a cloud their credentials'
    : (rangeWords[range] ?? (reachOfRange[range] ? null : 'is set aside and belongs to no machine'));
  return {
    address,
    reach: words === null ? (reachOfRange[range] ?? 'forbidden') : 'forbidden',
    forbidden: words && `${address} ${words}.`,
  };
}

/**
 * The host of an origin, in the form in which it is judged: names in lower case, addresses however they are written (127.1, 0x7f000001, full-width
 * digits) as the URL standard reads them (3.5, host parsing). Null where the text is no origin with a host.
 */
export function hostOf(origin: string): string | null {
  if (!URL.canParse(origin)) return null;
  const { hostname } = new URL(origin);
  // Schemes that the standard does not know keep their host as it was written.
  const known = `http://${hostname}`;
  return hostname !== '' && URL.canParse(known) ? new URL(known).hostname.replace(/\.$/, '') : null;
}

/** The host of an origin as connections and name servers take it: an IPv6 address without its brackets; empty where the origin has none. */
export const hostToConnect = (origin: string): string => (hostOf(origin) ?? '').replace(/^\[|\]$/g, '');

/** Why nothing may ever be sent to an origin, whoever cleared it, in a sentence; null where something may. */
export function neverAllowed(origin: string): string | null {
  const host = hostOf(origin);
  if (host === null) return `“${origin}” names no host.`;
  if (metadataNames.test(host)) return `${host} is the service that gives machines of a cloud their credentials.`;
  return judgeAddress(host)?.forbidden ?? null;
}

/** True for an origin on this machine: 127.0.0.0/8, [::1] and localhost, however it is written. */
export function isLoopback(origin: string): boolean {
  const host = hostOf(origin);
  return host !== null && (host === 'localhost' || judgeAddress(host)?.reach === 'loopback');
}

/** True where an IP address lies in a network such as 10.0.0.0/8, whichever way it is written; null where one of the two is none. */
export function isInNetwork(address: string, network: string): boolean | null {
  const [base = '', bits = '', more] = network.split('/');
  const judged = judgeAddress(address);
  const [inner, outer] = [judged && parsedAddress(judged.address), parsedAddress(base)];
  const length = Number(bits);
  const longest = outer instanceof ipaddr.IPv4 ? 32 : 128;
  if (!inner || !outer || more !== undefined || !/^\d{1,3}$/.test(bits) || length > longest) return null;
  if (inner instanceof ipaddr.IPv4) return outer instanceof ipaddr.IPv4 && inner.match(outer, length);
  return outer instanceof ipaddr.IPv6 && inner.match(outer, length);
}
