import type { Aim } from '@sturdy/core';
import { allElements } from './elements.js';
import { aimAt } from './ways.js';

/** Aims at every element of the document that has an attribute, by what the attribute says. */
export function aimsAt(attribute: string): Record<string, Aim> {
  return Object.fromEntries(
    [...allElements(document)]
      .filter((element) => element.hasAttribute(attribute))
      .map((element) => [element.getAttribute(attribute) ?? '', aimAt(element)]),
  );
}
