import { ChangeDetectionStrategy, Component, computed, forwardRef, inject, input } from '@angular/core';
import { SecretMask } from '../shared/secret-mask';

/** A node of a document: a JSON member or an XML element. */
export interface TreeNode {
  label: string;
  /** The value of a leaf; undefined for a node with children. */
  value?: string;
  children: TreeNode[];
}

const mostChildren = 200;

/** A document as a tree that opens and closes; its first two levels are open. */
@Component({
  selector: 'app-tree-view',
  imports: [forwardRef(() => TreeView)],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@for (node of shown(); track $index) {
      @if (node.value !== undefined) {
        <div class="leaf">
          <span class="key">{{ node.label }}:</span><span class="value">{{ shownValue(node) }}</span>
        </div>
      } @else {
        <details [open]="level() < 2">
          <summary>
            <span class="key">{{ node.label }}</span><span class="muted">({{ node.children.length }})</span>
          </summary>
          <app-tree-view class="inner" [nodes]="node.children" [level]="level() + 1" [secrets]="secrets()" />
        </details>
      }
    }
    @if (nodes().length > shown().length) {
      <div class="muted small">and {{ nodes().length - shown().length }} more; see the raw text</div>
    }`,
  styles: `
    :host {
      display: block;
      font: 12px/1.6 var(--mono);
    }
    .inner {
      padding-left: 14px;
      border-left: 1px solid var(--line);
      margin-left: 4px;
    }
    .key {
      color: var(--data);
      margin-right: 8px;
    }
    .value {
      overflow-wrap: anywhere;
    }
    .leaf {
      padding-left: 14px;
    }
  `,
})
export class TreeView {
  readonly #mask = inject(SecretMask);
  readonly nodes = input.required<readonly TreeNode[]>();
  readonly level = input(0);
  readonly secrets = input(false);
  readonly shown = computed(() => this.nodes().slice(0, mostChildren));

  shownValue({ label, value = '' }: TreeNode): string {
    return this.secrets() ? value : this.#mask.value(label.replace(/^@/, ''), value);
  }
}

/** A JSON value as nodes. */
export function jsonTree(label: string, value: unknown): TreeNode {
  if (value === null || typeof value !== 'object') return { label, value: JSON.stringify(value), children: [] };
  const entries = Array.isArray(value) ? value.map((item, index): [string, unknown] => [String(index), item]) : Object.entries(value);
  return { label, children: entries.map(([key, member]) => jsonTree(key, member)) };
}

/** An XML element as nodes: attributes first, then what is inside. */
export function xmlTree(element: Element): TreeNode {
  const attributes = [...element.attributes].map((attribute): TreeNode => ({
    label: `@${attribute.name}`,
    value: attribute.value,
    children: [],
  }));
  const inner = [...element.children].map(xmlTree);
  const text = inner.length === 0 ? element.textContent.trim() : '';
  if (attributes.length === 0 && inner.length === 0) return { label: element.tagName, value: text, children: [] };
  const ownText = text === '' ? [] : [{ label: 'text', value: text, children: [] }];
  return { label: element.tagName, children: [...attributes, ...inner, ...ownText] };
}
