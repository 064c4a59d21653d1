import { bytesToBase64 } from '../bytes.js';

/** Credentials of the Basic scheme (RFC 7617, 2, with UTF-8 after 2.1): the value of the Authorization header. */
export function basicAuthorization(user: string, password: string): string {
  return `Basic ${bytesToBase64(new TextEncoder().encode(`${user}:${password}`))}`;
}
