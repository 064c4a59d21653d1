/** Bytes in base64 (RFC 4648, 4). */
export function bytesToBase64(bytes: Uint8Array): string {
  let binary = '';
  for (let at = 0; at < bytes.length; at += 32_768) binary += String.fromCharCode(...bytes.subarray(at, at + 32_768));
  return btoa(binary);
}

/** Bytes of a base64 text; white space in it is passed over. Throws where it is none. */
export function base64ToBytes(text: string): Uint8Array {
  return Uint8Array.from(atob(text.replace(/\s/g, '')), (sign) => sign.charCodeAt(0));
}

export function joinBytes(...parts: readonly Uint8Array[]): Uint8Array {
  const whole = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}
