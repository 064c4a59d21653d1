import type { OutputEmitterRef, Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';

/** A component on a page of the test, and what a person does with it. */
export interface Rendered<T> {
  fixture: ComponentFixture<T>;
  component: T;
  element: HTMLElement;
  /** What it says, with single spaces. */
  text: () => string;
  /** The first button whose text or label contains this. Throws where there is none. */
  button: (name: string) => HTMLButtonElement;
  click: (name: string) => void;
  /** The field with a label that begins so. Throws where there is none. */
  field: (label: string) => HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement;
  /** Writes into the field with this label, or chooses there, and leaves it. */
  enter: (label: string, value: string) => void;
  /** Changes inputs of the component. */
  give: (inputs: Record<string, unknown>) => void;
}

const words = (element: Element | null): string => (element?.textContent ?? '').replace(/\s+/g, ' ').trim();

/** Renders a component with its inputs. */
export function render<T>(component: Type<T>, inputs: Record<string, unknown> = {}): Rendered<T> {
  const fixture = TestBed.createComponent(component);
  const element = fixture.nativeElement as HTMLElement;
  const give = (given: Record<string, unknown>) => {
    for (const [name, value] of Object.entries(given)) fixture.componentRef.setInput(name, value);
    fixture.detectChanges();
  };
  give(inputs);
  const button = (name: string) => {
    const found = [...element.querySelectorAll('button')].find(
      (shown) => words(shown).includes(name) || (shown.getAttribute('aria-label') ?? '').includes(name),
    );
    if (!found) throw new Error(`There is no button “${name}”.`);
    return found;
  };
  const field = (label: string) => {
    const fields = [...element.querySelectorAll<HTMLInputElement>('input, select, textarea')];
    const found = fields.find((shown) => (shown.getAttribute('aria-label') ?? words(shown.closest('label'))).startsWith(label));
    if (!found) throw new Error(`There is no field “${label}”.`);
    return found;
  };
  return {
    fixture,
    component: fixture.componentInstance,
    element,
    text: () => words(element),
    button,
    click: (name) => {
      button(name).click();
      fixture.detectChanges();
    },
    field,
    enter: (label, value) => {
      const entered = field(label);
      entered.value = value;
      for (const kind of ['input', 'change']) entered.dispatchEvent(new Event(kind, { bubbles: true }));
      fixture.detectChanges();
    },
    give,
  };
}

/** Everything that an output tells from now on. */
export function heard<T>(output: OutputEmitterRef<T>): T[] {
  const all: T[] = [];
  output.subscribe((value) => all.push(value));
  return all;
}
