import type { HttpInterceptorFn } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import { projectIn } from './project-address';

const key = `sturdy-environment ${projectIn(location.pathname)}`;

/** The environment that was chosen in this browser before; null where none was. */
export const storedChoice = (): string | null => localStorage.getItem(key);

/** The environment that is chosen in this browser: each chooses for itself, so that nobody sends a colleague to another system. */
@Injectable({ providedIn: 'root' })
export class EnvironmentChoice {
  #id = storedChoice();

  get id(): string | null {
    return this.#id;
  }

  keep(id: string): void {
    this.#id = id;
    localStorage.setItem(key, id);
  }
}

/** Says with each request which environment is chosen here. */
export const tellEnvironment: HttpInterceptorFn = (request, next) => {
  const { id } = inject(EnvironmentChoice);
  return next(id === null ? request : request.clone({ setHeaders: { 'X-Sturdy-Environment': id } }));
};
