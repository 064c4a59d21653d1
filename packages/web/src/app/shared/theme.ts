import { effect, Injectable, signal } from '@angular/core';

const key = 'sturdy-theme';

/** Light or dark: as the machine says, until the user chooses. */
@Injectable({ providedIn: 'root' })
export class Theme {
  readonly dark = signal(readChoice() ?? matchMedia('(prefers-color-scheme: dark)').matches);

  constructor() {
    effect(() => {
      document.documentElement.setAttribute('data-bs-theme', this.dark() ? 'dark' : 'light');
    });
  }

  toggle(): void {
    this.dark.update((dark) => !dark);
    localStorage.setItem(key, this.dark() ? 'dark' : 'light');
  }
}

function readChoice(): boolean | null {
  const chosen = localStorage.getItem(key);
  return chosen === null ? null : chosen === 'dark';
}
