import { isIP } from 'node:net';
import { checkServerIdentity, createSecureContext, rootCertificates, type ConnectionOptions, type SecureContext } from 'node:tls';
import { credentialFor, type Environment } from '@sturdy/core';

/** What an environment says about the TLS of its targets. */
export type TargetTlsSettings = Pick<Environment, 'credentials' | 'trust'>;

/**
 * TLS options for targets: whom the environment trusts, and the client certificate that it shows. Contexts are made once for
 * each origin, because reading the list of public authorities takes some 60 ms.
 */
export class TargetTls {
  readonly #contexts = new Map<string, SecureContext>();

  constructor(readonly settings: TargetTlsSettings) {}

  /** Throws where a certificate or key of the environment cannot be read. */
  optionsFor(origin: string): Pick<ConnectionOptions, 'servername' | 'rejectUnauthorized' | 'secureContext' | 'checkServerIdentity'> {
    const hostname = new URL(origin).hostname.replace(/^\[|\]$/g, '');
    return {
      ...(isIP(hostname) ? {} : { servername: hostname }),
      rejectUnauthorized: this.settings.trust.checksCertificates,
      // Behind a proxy the connection no longer knows the host that it was made for.
      checkServerIdentity: (_host, certificate) => checkServerIdentity(hostname, certificate),
      secureContext: this.#context(origin),
    };
  }

  #context(origin: string): SecureContext {
    const certificate = credentialFor(this.settings.credentials, origin, ['certificate']);
    // Without a client certificate of its own an origin shares the context of all the others.
    const key = certificate ? origin : '';
    const known = this.#contexts.get(key);
    if (known) return known;
    const { authorities } = this.settings.trust;
    try {
      const made = createSecureContext({
        ...(authorities.trim() === '' ? {} : { ca: [...rootCertificates, authorities] }),
        ...(certificate
          ? {
              cert: certificate.certificate,
              key: certificate.key,
              ...(certificate.passphrase === '' ? {} : { passphrase: certificate.passphrase }),
            }
          : {}),
      });
      this.#contexts.set(key, made);
      return made;
    } catch (error) {
      throw new Error(
        `The environment's certificate or key for ${origin} cannot be read (${error instanceof Error ? error.message : 'unknown reason'}). Paste both in PEM, and give the passphrase if the key has one.`,
        { cause: error },
      );
    }
  }
}

/** Reasons of OpenSSL and Node.js for not accepting a target's certificate. */
export const isCertificateError = (code: string): boolean => /CERT|SELF_SIGNED|UNABLE_TO_VERIFY|UNABLE_TO_GET_ISSUER|DEPTH_ZERO/.test(code);
