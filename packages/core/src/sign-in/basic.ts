import { bytesToBase64 } from '../bytes.js';

/** Credentials of the Basic scheme (RFC 7617, 2, with UTF-8 after 2.1): the value of the Authorization header. */
export function basicAuthorization(user: string, password: string): string {
  return `Basic ${bytesToBase64(new TextEncoder().encode(`${user}:${password}`))}`;
}

/** User and password that stand in an address (RFC 3986, 3.2.1), as page scripts and pasted commands give them; null where there are none. */
export function userInAddress(url: string): { user: string; password: string } | null {
  if (!URL.canParse(url)) return null;
  const { username, password } = new URL(url);
  const plain = (text: string): string => {
    try {
      return decodeURIComponent(text);
    } catch {
      return text;
    }
  };
  return username === '' && password === '' ? null : { user: plain(username), password: plain(password) };
}
