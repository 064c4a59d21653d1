import { Aes256Gcm, CipherSuite, DhkemP256HkdfSha256, HkdfSha256 } from '@hpke/core';

/** Hybrid public key encryption, RFC 9180, base mode: DHKEM(P-256, HKDF-SHA256), HKDF-SHA256, AES-256-GCM. */
const suite = new CipherSuite({ kem: new DhkemP256HkdfSha256(), kdf: new HkdfSha256(), aead: new Aes256Gcm() });

/** A text that only one reader can open; base64. */
export interface Sealed {
  /** Encapsulated key. */
  key: string;
  text: string;
}

const base64 = (bytes: ArrayBuffer): string => Buffer.from(bytes).toString('base64');
/** WebCrypto wants a buffer of its own, not a piece of a shared pool. */
const bytesOf = (text: string, encoding: BufferEncoding): ArrayBuffer => Uint8Array.from(Buffer.from(text, encoding)).buffer;

/** Seals a text for the reader of a public key. It opens only together with the same `context`, such as what the text is of. */
export async function seal(publicKey: string, text: string, context: string): Promise<Sealed> {
  const recipientPublicKey = await suite.kem.deserializePublicKey(bytesOf(publicKey, 'base64'));
  const sender = await suite.createSenderContext({ recipientPublicKey });
  return { key: base64(sender.enc), text: base64(await sender.seal(bytesOf(text, 'utf8'), bytesOf(context, 'utf8'))) };
}

/** Opens what was sealed for it. Its private key never leaves it. */
export class SealReader {
  readonly #pair = suite.kem.generateKeyPair();

  /** The public key to seal for; base64. */
  async publicKey(): Promise<string> {
    return base64(await suite.kem.serializePublicKey((await this.#pair).publicKey));
  }

  /** The sealed text. Throws where it was sealed for somebody else or in another context. */
  async open({ key, text }: Sealed, context: string): Promise<string> {
    const recipient = await suite.createRecipientContext({ recipientKey: (await this.#pair).privateKey, enc: bytesOf(key, 'base64') });
    return Buffer.from(await recipient.open(bytesOf(text, 'base64'), bytesOf(context, 'utf8'))).toString();
  }
}
