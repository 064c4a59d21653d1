import type { HandoffPattern } from './pattern.schema.js';

type Known = Pick<HandoffPattern, 'id' | 'name' | 'about'> & {
  sent: Partial<HandoffPattern['sent']>;
  received?: Partial<HandoffPattern['received']>;
};

/** Six signs or more with a digit among them: words that people choose have none. */
const tokenLike = '[0-9].{5,}|.{5,}[0-9]|.{3,}[0-9].{3,}';

const published: Known[] = [
  {
    id: 'anti-forgery',
    name: 'Anti-forgery token',
    about:
      'A token that ties a change to the page it was made on, sent in a hidden field, a header, or both (OWASP, Cross-Site Request Forgery Prevention: synchronizer token and double submit).',
    sent: { name: '(csrf|xsrf|authenticity|requestverification|anti.?forgery|form.?token|nonce|token)', value: tokenLike },
  },
  {
    id: 'page-state',
    name: 'State of a page',
    about:
      'What server-side page frameworks write into a page and want back with the next form: state, validation, view and flow keys (conventions of published frameworks).',
    sent: {
      in: ['form'],
      name: '(view.?state|event.?validation|page.?state|form.?state|flow.?(key|execution)|execution|conversation)',
      value: '[0-9]',
    },
  },
  {
    id: 'oauth',
    name: 'OAuth 2.0 and OpenID Connect',
    about: 'Codes, tokens and states of a sign-in (RFC 6749, 4.1 and 6; RFC 6750, 2.1; OpenID Connect Core 1.0, 3.1).',
    sent: {
      name: '^(code|state|nonce|session_state|access_token|refresh_token|id_token|id_token_hint|authorization|login_challenge|consent_challenge)$',
      value: tokenLike,
    },
  },
  {
    id: 'saml',
    name: 'SAML post',
    about: 'Messages of a sign-in that a page posts by itself (SAML 2.0 Bindings, 3.5).',
    sent: { in: ['form', 'query'], name: '^(SAMLRequest|SAMLResponse|RelayState|SAMLart)$', value: '.{4,}' },
  },
  {
    id: 'if-match',
    name: 'Entity tag',
    about: 'The version of a record that a change is made to (RFC 9110, 13.1.1 and 8.8.3).',
    sent: { in: ['header'], name: '^if-(match|unmodified-since)$' },
  },
  {
    id: 'record-version',
    name: 'Version of a record',
    about:
      'A counter or stamp that a change must repeat, so that nobody overwrites what another has changed (optimistic locking, Kung and Robinson 1981).',
    sent: {
      name: '^(.*[-_. ])?(version|rev|revision|lock[-_]?version|row[-_]?version|etag|modified|stamp|timestamp|seq(no|uence)?)$',
      value: '[0-9]',
    },
  },
  {
    id: 'created-redirect',
    name: 'Id in the answer to a change',
    about: 'The address of a thing that was just made (RFC 9110, 10.2.2: Location; 15.3.2: 201 Created).',
    sent: { in: ['path', 'query', 'form', 'json'], value: '^[A-Za-z0-9_~.-]*([0-9]{3,}|[0-9a-f]{8,})[A-Za-z0-9_~.-]*$' },
    received: { in: ['header'], name: '^(location|content-location)$', afterChange: true },
  },
  {
    id: 'cursor',
    name: 'Cursor',
    about: 'A mark that the server gives for the next page of a list (common practice; GraphQL Cursor Connections, 4).',
    sent: {
      in: ['query', 'json', 'form'],
      name: '^(cursor|after|before|page.?token|next.?token|continuation(.?token)?|scroll.?id|marker)$',
      value: tokenLike,
    },
  },
];

/** The patterns that this product ships with, after published conventions. */
export const publishedPatterns: readonly HandoffPattern[] = published.map(({ sent, received, ...rest }) => ({
  ...rest,
  enabled: true,
  sent: { in: [], name: '', value: '', ...sent },
  received: { in: [], name: '', afterChange: false, ...received },
  decision: 'hand-off',
}));

/** The patterns of a project: those that were changed in the place of those shipped, then the project's own. */
export function patternsOf(patterns: readonly HandoffPattern[]): HandoffPattern[] {
  const byId = new Map([...publishedPatterns, ...patterns].map((pattern) => [pattern.id, pattern]));
  return [...byId.values()];
}
