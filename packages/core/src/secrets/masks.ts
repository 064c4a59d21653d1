import type { Exchange, Header, RequestExchange } from '../take/take.schema.js';

/** What stands on screen and in exports where a secret was. */
export const masked = '••••••••';

const secretName =
  /pass(wor[dt]|wd|phrase|code)?$|^pw$|pwd|secret|token|api[-_]?key|authori[sz]ation|credential|sess(ion)?[-_]?(id|key)?$|^sid$|otp|^pin$|cvv|signature|assertion|saml(request|response)|cookie|nonce|csrf|xsrf|bearer/i;
const cookieHeader = /^(set-)?cookie2?$/i;
const wholeHeader = /^(proxy-)?authorization$|^x-.*(key|token|secret)$|^(x-)?api-?key$/i;

/** True for a field, parameter, header or JSON key whose value is a secret by its name. */
export const isSecretName = (name: string): boolean => secretName.test(name);

/** The same for parameters of addresses and forms, where `code` is what one signs in with (RFC 6749, 4.1.2); elsewhere it is any code. */
const isSecretParameter = (name: string): boolean => isSecretName(name) || name.toLowerCase() === 'code';

/** A header's value with its secrets masked: cookies keep their names and attributes, so that one can still follow them. */
export function maskHeader([name, value]: Header): string {
  if (cookieHeader.test(name))
    return value.replace(/^([^=;]+)=[^;]*/, `$1=${masked}`).replace(/(;\s*)([^=;]+)=([^;]*)/g, keepAttributes(name));
  if (wholeHeader.test(name) || isSecretName(name)) return masked;
  return name.toLowerCase() === 'location' || name.toLowerCase() === 'referer' ? maskUrl(value) : value;
}

const keepAttributes = (header: string) => (whole: string, separator: string, name: string) =>
  /^set-/i.test(header) ? whole : `${separator}${name}=${masked}`;

/** An address with the values of secret parameters masked. */
export const maskUrl = (url: string): string =>
  url.replace(/([?&#;])([^=&#;]+)=([^&#]*)/g, (whole: string, separator: string, name: string) =>
    isSecretParameter(safely(name)) ? `${separator}${name}=${masked}` : whole,
  );

const safely = (text: string): string => {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
};

/** A text body with secret fields masked: form fields, JSON members, and values of named input elements. */
export function maskText(text: string): string {
  return text
    .replace(/(^|[&\n])([^=&\s<>{}"]{1,80})=([^&\s<>]*)/g, (whole: string, before: string, name: string) =>
      isSecretParameter(safely(name)) ? `${before}${name}=${masked}` : whole,
    )
    .replace(/("(?:[^"\\]|\\.){1,80}")(\s*:\s*)("(?:[^"\\]|\\.)*"|-?\d[\d.eE+-]*)/g, (whole: string, name: string, between: string) =>
      isSecretName(name.slice(1, -1)) ? `${name}${between}"${masked}"` : whole,
    )
    .replace(/<input\b[^>]*>/gi, (tag) =>
      isSecretName(/\bname\s*=\s*["']?([^"'\s>]+)/i.exec(tag)?.[1] ?? '')
        ? tag.replace(/(\bvalue\s*=\s*)("[^"]*"|'[^']*')/i, `$1"${masked}"`)
        : tag,
    )
    .replace(/(name="([^"]+)"\r?\n(?:[^\r\n]+\r?\n)*\r?\n)([^\r\n]*)/g, (whole: string, head: string, name: string) =>
      isSecretName(name) ? `${head}${masked}` : whole,
    );
}

/** One line of a message as a comparison shows it: a header, an address, or a line of a body. */
export function maskLine(line: string): string {
  const [, name, value] = /^([\w-]+): (.*)$/.exec(line) ?? [];
  return maskText(maskUrl(name === undefined || value === undefined ? line : `${name}: ${maskHeader([name, value])}`));
}

/** A request whose address, headers and messages hold no secrets; bodies are masked where their text is read. */
export function maskRequest(exchange: RequestExchange): RequestExchange {
  const headers = (list: readonly Header[]): Header[] => list.map((header) => [header[0], maskHeader(header)]);
  return {
    ...exchange,
    url: maskUrl(exchange.url),
    requestHeaders: headers(exchange.requestHeaders),
    response: exchange.response && { ...exchange.response, headers: headers(exchange.response.headers) },
    // What an import kept besides holds the same secrets in other places; without it the entry is written from what is masked.
    harEntry: null,
    ...(exchange.messages ? { messages: exchange.messages.map((message) => ({ ...message, text: maskText(message.text) })) } : {}),
  };
}

/** An exchange whose address, headers and messages hold no secrets. */
export const maskExchange = (exchange: Exchange): Exchange =>
  exchange.kind === 'request' ? maskRequest(exchange) : { ...exchange, url: maskUrl(exchange.url) };
