import type { HttpInterceptorFn } from '@angular/common/http';
import { inject, Injectable, signal } from '@angular/core';

const key = 'sturdy-person';

/** Who works in this browser, as its user has said; the list of changes names them. */
@Injectable({ providedIn: 'root' })
export class Person {
  readonly #name = signal(localStorage.getItem(key) ?? '');
  readonly name = this.#name.asReadonly();

  rename(name: string): void {
    this.#name.set(name.trim());
    localStorage.setItem(key, name.trim());
  }
}

/** Says with each request who works here. */
export const tellPerson: HttpInterceptorFn = (request, next) => {
  const name = inject(Person).name();
  return next(name === '' ? request : request.clone({ setHeaders: { 'X-Sturdy-Person': encodeURIComponent(name) } }));
};
