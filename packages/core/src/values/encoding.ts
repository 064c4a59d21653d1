import { md5, sha1 } from '@noble/hashes/legacy';
import { sha256, sha512 } from '@noble/hashes/sha2';
import { bytesToHex } from '@noble/hashes/utils';
import { base64ToBytes, bytesToBase64 } from '../bytes.js';
import type { Encoding } from './template.schema.js';

const utf8 = new TextEncoder();
const strictUtf8 = new TextDecoder('utf-8', { fatal: true });

/** Percent-encodes what RFC 3986 does not leave unreserved. */
const percent = (text: string) => component(text).replace(/[!'()*]/g, (sign) => `%${sign.charCodeAt(0).toString(16).toUpperCase()}`);

/** encodeURIComponent that takes lone surrogates as the replacement sign instead of throwing. */
const component = (text: string) => encodeURIComponent(text.replace(/\p{Surrogate}/gu, '\uFFFD'));

// application/x-www-form-urlencoded of the WHATWG URL standard: * - . _ stay, space becomes +.
const form = (text: string) => percent(text).replace(/%20/g, '+').replace(/~/g, '%7E').replace(/%2A/g, '*');

const xmlNames: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&apos;' };

const base64url = (base64: string) => base64.replace(/\+/g, '-').replace(/\//g, '_').replace(/=+$/, '');
const digest = (hash: (bytes: Uint8Array) => Uint8Array, text: string) => hash(utf8.encode(text));

const encoders: Record<Encoding, (text: string) => string> = {
  form,
  'form-lower': (text) => form(text).replace(/%[0-9A-F]{2}/g, (code) => code.toLowerCase()),
  percent,
  component,
  'component-plus': (text) => component(text).replace(/%20/g, '+'),
  json: (text) => JSON.stringify(text).slice(1, -1),
  xml: (text) => text.replace(/[&<>"']/g, (sign) => xmlNames[sign] ?? sign),
  base64: (text) => bytesToBase64(utf8.encode(text)),
  base64url: (text) => base64url(bytesToBase64(utf8.encode(text))),
  hex: (text) => bytesToHex(utf8.encode(text)),
  utf8: (text) => Array.from(utf8.encode(text), (byte) => String.fromCharCode(byte)).join(''),
  upper: (text) => text.toUpperCase(),
  lower: (text) => text.toLowerCase(),
  bare: (text) => text.replace(/[-\s:._{}]/g, ''),
  md5: (text) => bytesToHex(digest(md5, text)),
  sha1: (text) => bytesToHex(digest(sha1, text)),
  sha256: (text) => bytesToHex(digest(sha256, text)),
  sha512: (text) => bytesToHex(digest(sha512, text)),
  'sha1-base64': (text) => bytesToBase64(digest(sha1, text)),
  'sha256-base64': (text) => bytesToBase64(digest(sha256, text)),
  'sha256-base64url': (text) => base64url(bytesToBase64(digest(sha256, text))),
};

/** The digests that are tried over known values, where nobody gave a value. */
export const digests: readonly Encoding[] = ['md5', 'sha1', 'sha256', 'sha512', 'sha1-base64', 'sha256-base64', 'sha256-base64url'];

/** Wraps a value as its place demands. */
export const encode = (encoding: Encoding, text: string): string => encoders[encoding](text);

const entityNames: Record<string, string> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" };

/** Takes the wrapping off; undefined where the text is not validly wrapped so, or the wrapping has no way back. */
export function decode(encoding: Encoding, text: string): string | undefined {
  try {
    switch (encoding) {
      case 'form':
      case 'form-lower':
      case 'component-plus':
        return decodeURIComponent(text.replace(/\+/g, ' '));
      case 'percent':
      case 'component':
        return decodeURIComponent(text);
      case 'json':
        return JSON.parse(`"${text}"`) as string;
      case 'xml':
        return text.replace(/&(?:#(\d+)|#x([0-9a-f]+)|(amp|lt|gt|quot|apos));/gi, (_, decimal?: string, hex?: string, name?: string) =>
          decimal
            ? String.fromCodePoint(Number(decimal))
            : hex
              ? String.fromCodePoint(parseInt(hex, 16))
              : (entityNames[name?.toLowerCase() ?? ''] ?? ''),
        );
      case 'base64':
        return /^[A-Za-z0-9+/]{4,}={0,2}$/.test(text) && text.length % 4 === 0 ? strictUtf8.decode(base64ToBytes(text)) : undefined;
      case 'base64url':
        if (!/^[\w-]{4,}$/.test(text)) return undefined;
        return strictUtf8.decode(base64ToBytes(text.replace(/-/g, '+').replace(/_/g, '/') + '==='.slice((text.length + 3) % 4)));
      case 'hex':
        return /^(?:[0-9a-f]{2})+$/.test(text)
          ? strictUtf8.decode(Uint8Array.from(text.match(/../g) ?? [], (pair) => parseInt(pair, 16)))
          : undefined;
      case 'utf8':
        return strictUtf8.decode(Uint8Array.from(text, (sign) => sign.charCodeAt(0)));
      default:
        return undefined;
    }
  } catch {
    return undefined;
  }
}
