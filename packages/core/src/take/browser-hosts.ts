/**
 * Hosts that browsers ask by themselves: updates, safe browsing, autofill, whether there is a network (seen in traffic of
 * Chromium and Firefox; common knowledge, no source). They belong to no application that is tested.
 */
const browserHosts = [
  /^(update|content-autofill|optimizationguide-pa|safebrowsing|safebrowsingohttpgateway|clientservices|android\.clients|chromewebstore|tools)\.(google|googleapis)\.com$/,
  /^(clients\d*|accounts)\.google\.com$/,
  /(^|\.)gvt1\.com$/,
  /\.services\.mozilla\.com$/,
  /^(detectportal\.firefox|(.*\.)?cdn\.mozilla|aus\d\.mozilla|addons\.mozilla)\.(com|net|org)$/,
  /^ocsp\d?\./,
];

/** True for an origin that a browser asks by itself, whatever page is open. */
export function isBrowsersOwnHost(origin: string): boolean {
  const host = URL.canParse(origin) ? new URL(origin).hostname : origin;
  return browserHosts.some((pattern) => pattern.test(host));
}
