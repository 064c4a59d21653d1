import type { Act, PageNews } from '@sturdy/core';
import { firstText, plainText } from './elements.js';
import { aimAt } from './ways.js';

/** Takes what is told; the recorder gives it, to this world alone. */
declare const sturdyTold: (text: string) => void;
const tell = (news: PageNews): void => {
  sturdyTold(JSON.stringify(news));
};

type Field = HTMLInputElement | HTMLTextAreaElement;
const typed =
  'textarea, input:not([type]), ' +
  ['text', 'search', 'email', 'url', 'tel', 'number', 'password', 'date', 'time', 'datetime-local', 'month', 'week']
    .map((type) => `input[type=${type}]`)
    .join(', ');
const clickable = 'button, a, summary, option, input, label, [role], [onclick], [tabindex]';
/** Fields that open something when they are clicked: a list of proposals, a calendar. */
const opening = '[role=combobox], [aria-haspopup], [aria-expanded], input[readonly]';
/** Keys that only write within a field, and act elsewhere; the others of `actingKeys` act everywhere. */
const writingKeys = ['ArrowUp', 'ArrowDown', 'ArrowLeft', 'ArrowRight', 'PageUp', 'PageDown', 'Home', 'End', 'Delete', 'Backspace', ' '];
const actingKeys = ['Enter', 'Escape', ...writingKeys];

const target = (event: Event): Element | null => {
  const [first] = event.composedPath();
  return first instanceof Element ? first : null;
};
const act = (element: Element, what: Act): void => {
  const at = Date.now();
  tell({ kind: 'act', act: what, aim: aimAt(element), at, until: at });
};

/** A field in which somebody types, as it was when that began: its page may have changed it by the end. */
let typing: { field: Field; aim: ReturnType<typeof aimAt>; at: number } | null = null;

function focusIn(event: Event): void {
  const element = target(event);
  // Ways are looked for before the first key, so that typing waits for nothing.
  if (element?.matches(typed)) typing = { field: element as Field, aim: aimAt(element), at: 0 };
}

function input(event: Event): void {
  const element = target(event);
  if (!element?.matches(typed)) return;
  if (typing?.field !== element) typing = { field: element as Field, aim: aimAt(element), at: 0 };
  if (typing.at === 0) typing.at = Date.now();
}

/** Tells what was typed, once the field is left or something else is done. */
function endTyping(isLeft: boolean): void {
  if (!typing || typing.at === 0) return;
  const { field, aim, at } = typing;
  const isSecret = field.type === 'password';
  tell({
    kind: 'act',
    act: { kind: 'type', text: isSecret ? '' : field.value, isSecret, field: field.name, isLeft },
    aim,
    at,
    until: Date.now(),
  });
  typing = { field, aim, at: 0 };
}

/** A radio button that was on already when it was pressed: nothing changes, and yet its page may act. */
let onBefore: Element | null = null;

function mouseDown(event: Event): void {
  const element = target(event);
  onBefore = element instanceof HTMLInputElement && element.type === 'radio' && element.checked ? element : null;
}

function click(event: MouseEvent): void {
  if (event.detail > 1) return;
  const element = target(event);
  const hit = element?.closest(clickable) ?? element;
  if (!hit) return;
  endTyping(document.activeElement !== typing?.field);
  const named = element?.closest('button, a, input[type=submit], input[type=button], [role=button]');
  if (named)
    tell({
      kind: 'clicked',
      text: firstText((named as HTMLInputElement).value, (named as HTMLElement).innerText, named.getAttribute('aria-label')),
    });
  // What these do is told as a choice, a tick or a text; a label only stands for its field.
  if (
    hit.matches(`select, option, input[type=checkbox], input[type=radio], input[type=file], ${typed}`) &&
    !hit.matches(opening) &&
    hit !== onBefore
  )
    return;
  if (hit instanceof HTMLLabelElement && hit.control) return;
  // Enter in a form presses its button; that is told as the key.
  if (!event.isTrusted || (event.detail === 0 && event.clientX === 0 && event.clientY === 0 && hit.matches('button, input'))) return;
  act(hit, { kind: 'click' });
}

function change(event: Event): void {
  const element = target(event);
  if (element instanceof HTMLSelectElement) {
    const usable = [...element.options].filter((option) => !option.disabled && option.value !== '');
    const options = [...element.selectedOptions].map((option) => ({ value: option.value, label: plainText(option.label) }));
    act(element, { kind: 'choose', options, isFree: usable.length > 1 });
  } else if (element instanceof HTMLInputElement && (element.type === 'checkbox' || element.type === 'radio')) {
    act(element, { kind: 'tick', isOn: element.checked });
  } else if (element instanceof HTMLInputElement && element.type === 'file') {
    act(element, { kind: 'upload', files: [...(element.files ?? [])].map(({ name }) => name) });
  }
}

function keyDown(event: KeyboardEvent): void {
  const { ctrlKey, altKey, metaKey, shiftKey, code, key } = event;
  if (ctrlKey && altKey) {
    const shortcut = ({ KeyB: 'begin', KeyE: 'end', KeyP: 'pause' } as const)[code as 'KeyB'];
    if (!(shortcut as string | undefined)) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    tell({ kind: 'shortcut', key: shortcut });
    return;
  }
  const element = target(event);
  if (!element || event.isComposing) return;
  const inField = element.matches(`${typed}, [contenteditable]`);
  const isCommand = (ctrlKey || metaKey || altKey) && key.length === 1;
  const writes = inField && (writingKeys.includes(key) || (isCommand && /[acvxz]/i.test(key)));
  const acts = isCommand || actingKeys.includes(key) || /^F\d+$/.test(key);
  if (!acts || writes || (element instanceof HTMLTextAreaElement && key === 'Enter') || element instanceof HTMLSelectElement) return;
  endTyping(false);
  const modifiers = [ctrlKey && 'Control', altKey && 'Alt', metaKey && 'Meta', shiftKey && key.length > 1 && 'Shift'].filter(
    (name) => name !== false,
  );
  act(element === document.body || element === document.documentElement ? document.body : element, {
    kind: 'press',
    key: [...modifiers, key === ' ' ? 'Space' : key].join('+'),
  });
}

const capture = { capture: true, passive: false };
addEventListener('focusin', focusIn, capture);
addEventListener('input', input, capture);
addEventListener(
  'focusout',
  () => {
    endTyping(true);
  },
  capture,
);
for (const end of ['submit', 'pagehide'])
  addEventListener(
    end,
    () => {
      endTyping(false);
    },
    capture,
  );
addEventListener('change', change, capture);
addEventListener('mousedown', mouseDown, capture);
addEventListener('click', click, capture);
addEventListener(
  'dblclick',
  (event) => {
    const element = target(event);
    const hit = element?.closest(clickable) ?? element;
    if (hit && !hit.matches(typed)) act(hit, { kind: 'double-click' });
  },
  capture,
);
addEventListener('keydown', keyDown, capture);
