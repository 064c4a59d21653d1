import { inject, Injectable, signal } from '@angular/core';
import { isSecretName, KnownSecrets, masked, maskHeader, maskLine, maskText, maskUrl, type Header } from '@sturdy/core';
import { firstValueFrom } from 'rxjs';
import { Api } from './api';

/** Masks what is secret on screen: by the names of places, and by what the server knows to be secret in what is shown. */
@Injectable({ providedIn: 'root' })
export class SecretMask {
  readonly #api = inject(Api);
  readonly #texts = new Set<string>();
  readonly #asked = new Set<string>();
  readonly #known = signal(new KnownSecrets([]));

  /** Learns what is secret in these exchanges and stored bodies of a take, and what was typed in it. Who cannot learn it masks by names alone. */
  async look(takeId: string, exchanges: readonly number[], bodies: readonly string[]): Promise<void> {
    const key = JSON.stringify([takeId, exchanges, bodies]);
    if (this.#asked.has(key)) return;
    this.#asked.add(key);
    try {
      for (const text of await firstValueFrom(this.#api.secretsIn(takeId, exchanges, bodies))) this.#texts.add(text);
      this.#known.set(new KnownSecrets(this.#texts));
    } catch {
      this.#asked.delete(key);
    }
  }

  text(text: string): string {
    return this.#known().hide(maskText(text));
  }

  url(url: string): string {
    return this.#known().hide(maskUrl(url));
  }

  line(line: string): string {
    return this.#known().hide(maskLine(line));
  }

  header([name, value]: Header): Header {
    return [name, this.#known().hide(maskHeader([name, value]))];
  }

  /** The value of a place with this name. */
  value(name: string, value: string): string {
    return isSecretName(name) ? masked : this.#known().hide(value);
  }

  /** A document of plain data that was masked by names already. */
  knownIn<T>(document: T): T {
    return this.#known().hideIn(document);
  }
}
