import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import type { Extension } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { styleNonce } from './style-nonce';

/** Colours of text and code in both themes. */
const colours = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--teal)' },
  { tag: [tags.string, tags.content, tags.attributeValue, tags.regexp], color: 'var(--ink)' },
  { tag: [tags.comment, tags.lineComment], color: 'var(--ink-2)', fontStyle: 'italic' },
  { tag: [tags.controlKeyword, tags.definitionKeyword], color: 'var(--s5)' },
  { tag: [tags.keyword, tags.number, tags.bool, tags.separator, tags.punctuation, tags.squareBracket, tags.brace], color: 'var(--ink-2)' },
]);

/** How every editor of text and code looks. */
export const editorTheme: Extension = [
  EditorView.cspNonce.of(styleNonce),
  syntaxHighlighting(colours),
  EditorView.theme({
    '&': { height: '100%', fontSize: '12.5px', backgroundColor: 'var(--surface)', color: 'var(--ink)' },
    '.cm-scroller': { fontFamily: 'var(--mono)', lineHeight: '1.6' },
    '.cm-gutters': { backgroundColor: 'var(--sunk)', color: 'var(--ink-2)', border: 'none' },
    '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--clay-soft)' },
    '.cm-cursor': { borderLeftColor: 'var(--ink)' },
    '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': { backgroundColor: 'var(--teal-soft) !important' },
    '.cm-panels, .cm-tooltip': { backgroundColor: 'var(--surface)', color: 'var(--ink)' },
    '.cm-tooltip': { border: '1px solid var(--line-strong)' },
  }),
];
