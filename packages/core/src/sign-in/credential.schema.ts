import * as z from 'zod';

/** Origin that a credential is for, such as `https://127.0.0.1:4702`, or `*` for every target of the environment. */
const origin = z.string().refine((text) => text === '*' || (URL.canParse(text) && new URL(text).origin === text), {
  message: 'Write an origin, such as https://127.0.0.1:4702, or * for every target.',
});
const user = z.string().min(1, 'Give the user.');
const password = z.string();

/** How a connection signs in to a server, before any page: the methods of HTTP, and client certificates. */
export const CredentialSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('basic'), origin, user, password }),
  z.object({ kind: z.literal('digest'), origin, user, password }),
  z.object({ kind: z.literal('bearer'), origin, token: z.string().min(1, 'Give the token.') }),
  z.object({ kind: z.literal('ntlm'), origin, user, password, domain: z.string() }),
  z.object({
    kind: z.literal('certificate'),
    origin,
    /** Certificate and its chain in PEM. */
    certificate: z.string().includes('BEGIN CERTIFICATE', { message: 'Paste the certificate in PEM, from BEGIN CERTIFICATE on.' }),
    /** Private key in PEM. */
    key: z.string().includes('PRIVATE KEY', { message: 'Paste the private key in PEM, from BEGIN PRIVATE KEY on.' }),
    passphrase: z.string(),
  }),
]);
export type Credential = z.infer<typeof CredentialSchema>;

/** What an environment says about TLS: authorities trusted besides the public ones, and whether certificates are checked at all. */
export const TrustSchema = z.object({
  /** Certificates in PEM, one after another. */
  authorities: z.string(),
  checksCertificates: z.boolean(),
});
export type Trust = z.infer<typeof TrustSchema>;

/** The credential for an origin: its own one before one for every target. */
export function credentialFor<K extends Credential['kind']>(
  credentials: readonly Credential[],
  origin: string,
  kinds: readonly K[],
): Extract<Credential, { kind: K }> | undefined {
  const fits = (credential: Credential): credential is Extract<Credential, { kind: K }> =>
    (kinds as readonly string[]).includes(credential.kind);
  return (
    credentials.filter(fits).find((credential) => credential.origin === origin) ??
    credentials.filter(fits).find((credential) => credential.origin === '*')
  );
}
