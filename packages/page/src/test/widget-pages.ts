/** An element of a page: tag, attributes and children; `truth` names what a gesture means, which no way to it may use. */
export interface Node {
  tag: string;
  attributes: Record<string, string>;
  children: (Node | string)[];
}
const node = (tag: string, attributes: Record<string, string> = {}, ...children: (Node | string)[]): Node => ({
  tag,
  attributes,
  children,
});
const button = (truth: string, text: string, more: Record<string, string> = {}) =>
  node('button', { 'data-truth': truth, type: 'button', ...more }, text);
const icon = (truth: string, label: string) => button(truth, '⋯', { 'aria-label': label });
const field = (truth: string, label: string, more: Record<string, string> = {}) =>
  node('label', {}, label, node('input', { 'data-truth': truth, name: truth, ...more }));

/** Pages after the patterns of the WAI-ARIA Authoring Practices Guide (W3C), by the name of the pattern. */
export const widgets: Readonly<Record<string, () => Node>> = {
  accordion: () =>
    node(
      'div',
      {},
      ...['Cargo', 'Route', 'Papers'].map((name) => node('h3', {}, button(`open ${name}`, name, { 'aria-expanded': 'false' }))),
    ),
  breadcrumb: () =>
    node(
      'nav',
      { 'aria-label': 'Breadcrumb' },
      node(
        'ol',
        {},
        ...['Yard', 'Bays', 'Docks'].map((name) => node('li', {}, node('a', { href: `/${name.toLowerCase()}`, 'data-truth': name }, name))),
      ),
    ),
  checkboxes: () =>
    node('div', { role: 'group' }, ...['Cooled', 'Sealed', 'Insured'].map((name) => field(name, name, { type: 'checkbox' }))),
  combobox: () =>
    node(
      'div',
      {},
      node('label', { for: 'grower' }, 'Grower'),
      node('input', { role: 'combobox', id: 'grower', 'aria-expanded': 'true', 'data-truth': 'grower' }),
      node(
        'ul',
        { role: 'listbox' },
        ...['Alma Orchards', 'Eider Point', 'Birch Farm'].map((name) => node('li', { role: 'option', 'data-truth': name }, name)),
      ),
    ),
  'date picker': () =>
    node(
      'div',
      { role: 'dialog', 'aria-label': 'Choose a day' },
      icon('next', 'Next month'),
      icon('before', 'Previous month'),
      node(
        'table',
        { role: 'grid' },
        ...[0, 1, 2].map((week) =>
          node('tr', {}, ...[1, 2, 3, 4, 5].map((day) => node('td', {}, button(`day ${5 * week + day}`, String(5 * week + day))))),
        ),
      ),
    ),
  dialog: () =>
    node(
      'div',
      { role: 'dialog', 'aria-label': 'New intake' },
      field('container', 'Container'),
      field('pallets', 'Pallets', { type: 'number' }),
      button('ok', 'Book'),
      button('cancel', 'Cancel'),
    ),
  disclosure: () =>
    node(
      'nav',
      {},
      button('more', 'More', { 'aria-expanded': 'false' }),
      node(
        'ul',
        {},
        ...['Reports', 'Settings'].map((name) => node('li', {}, node('a', { href: `/${name.toLowerCase()}`, 'data-truth': name }, name))),
      ),
    ),
  grid: () =>
    node(
      'table',
      { role: 'grid' },
      ...['IN-1', 'IN-2', 'IN-3'].map((name) =>
        node(
          'tr',
          { role: 'row' },
          node('td', {}, name),
          node('td', {}, 'waiting'),
          node('td', {}, button(`edit ${name}`, 'Edit'), button(`drop ${name}`, 'Delete')),
        ),
      ),
    ),
  listbox: () =>
    node(
      'ul',
      { role: 'listbox', 'aria-label': 'Bays' },
      ...['C-005', 'D-052', 'E-009'].map((name) => node('li', { role: 'option', tabindex: '0', 'data-truth': name }, name)),
    ),
  'menu button': () =>
    node(
      'div',
      {},
      button('menu', 'Actions', { 'aria-haspopup': 'true' }),
      node(
        'ul',
        { role: 'menu' },
        ...['Print', 'Copy', 'Release'].map((name) => node('li', { role: 'menuitem', tabindex: '-1', 'data-truth': name }, name)),
      ),
    ),
  menubar: () =>
    node(
      'ul',
      { role: 'menubar' },
      ...['File', 'Edit', 'View'].map((name) =>
        node('li', { role: 'none' }, node('a', { role: 'menuitem', href: '#', 'data-truth': name }, name)),
      ),
    ),
  radios: () =>
    node(
      'div',
      { role: 'radiogroup', 'aria-label': 'Zone' },
      ...['Fish', 'Fruit', 'Vaccine'].map((name) =>
        node('label', {}, node('input', { type: 'radio', name: 'zone', value: name.toLowerCase(), 'data-truth': name }), name),
      ),
    ),
  select: () =>
    node(
      'div',
      {},
      node('label', { for: 'bay' }, 'Bay'),
      node('select', { id: 'bay', name: 'bay', 'data-truth': 'bay' }, node('option', { value: '1' }, 'C-005')),
      node('label', { for: 'zone' }, 'Zone'),
      node('select', { id: 'zone', name: 'zone', 'data-truth': 'zone' }, node('option', { value: '1' }, 'Fish')),
    ),
  slider: () =>
    node(
      'div',
      {},
      node('span', {}, 'Temperature'),
      node('div', { role: 'slider', tabindex: '0', 'aria-label': 'Temperature', 'aria-valuenow': '4', 'data-truth': 'slider' }),
      node('span', {}, 'Humidity'),
      node('div', { role: 'slider', tabindex: '0', 'aria-label': 'Humidity', 'aria-valuenow': '40', 'data-truth': 'humidity' }),
    ),
  spinbutton: () =>
    node('div', {}, field('adults', 'Workers', { type: 'number' }), icon('fewer', 'Remove worker'), icon('more', 'Add worker')),
  switches: () =>
    node(
      'div',
      {},
      ...['Alarm', 'Lights'].map((name) => node('button', { role: 'switch', 'aria-checked': 'false', 'data-truth': name }, name)),
    ),
  'sortable table': () =>
    node(
      'table',
      {},
      node('tr', {}, ...['Number', 'Dock', 'Time'].map((name) => node('th', {}, button(`sort ${name}`, name)))),
      node('tr', {}, node('td', {}, 'IN-1'), node('td', {}, 'D-4'), node('td', {}, '09:00')),
    ),
  tabs: () =>
    node(
      'div',
      {},
      node('div', { role: 'tablist' }, ...['Goods', 'Papers', 'History'].map((name) => button(`tab ${name}`, name, { role: 'tab' }))),
      node('div', { role: 'tabpanel' }, field('note', 'Note')),
    ),
  toolbar: () =>
    node('div', { role: 'toolbar' }, icon('bold', 'Bold'), icon('italic', 'Italic'), icon('link', 'Insert link'), button('save', 'Save')),
  tree: () =>
    node(
      'ul',
      { role: 'tree' },
      ...['North', 'South'].map((name) =>
        node(
          'li',
          { role: 'treeitem', 'aria-expanded': 'true' },
          node('span', { 'data-truth': name, tabindex: '0' }, name),
          node(
            'ul',
            { role: 'group' },
            node('li', { role: 'treeitem' }, node('span', { 'data-truth': `${name} quay`, tabindex: '0' }, `${name} quay`)),
          ),
        ),
      ),
    ),
};

/** How frameworks write: by hand; with classes and ids that a program made; in shadow roots. */
export const habits = ['plain', 'made', 'shadow'] as const;
export type Habit = (typeof habits)[number];

/** What may have changed since the recording. */
export const changes = ['classes', 'order', 'added', 'language', 'moved'] as const;
export type Change = (typeof changes)[number];

const attributesInWords = ['aria-label', 'title', 'placeholder'];
const lists = ['ul', 'ol', 'tr', 'table', 'nav'];

function changed(tree: Node, change: Change | null): Node {
  const children = tree.children.map((child) => (typeof child === 'string' ? child : changed(child, change)));
  const attributes = { ...tree.attributes };
  if (change === 'language')
    for (const name of attributesInWords) if (attributes[name] !== undefined) attributes[name] = `${attributes[name]} (auf Deutsch)`;
  const isList = lists.includes(tree.tag) || ['group', 'radiogroup', 'tablist', 'toolbar', 'listbox'].includes(attributes['role'] ?? '');
  // The first cell of a row names the row, so rows change their order and cells do not.
  if (change === 'order' && isList && tree.tag !== 'tr') children.reverse();
  const isRoom = tree.tag === 'div' || attributes['role'] === 'dialog';
  if (change === 'added' && isRoom)
    children.unshift(node('p', {}, 'New since the last release'), node('button', { type: 'button' }, 'Learn more'));
  if (change === 'added' && isList && tree.tag !== 'tr')
    children.unshift(node(tree.tag === 'table' ? 'tr' : 'li', {}, node('span', {}, 'Extra'), node('button', { type: 'button' }, 'Added')));
  return { tag: tree.tag, attributes, children };
}

/** Writes a page: one widget as a framework would write it, with what has changed since. */
export function pageOf(widget: string, habit: Habit, change: Change | null): string {
  const tree = changed(widgets[widget]?.() ?? node('p'), change);
  const salt = change === 'classes' ? 7919 : 104_729;
  let count = 0;
  const write = (part: Node | string): string => {
    if (typeof part === 'string') return part;
    const attributes = { ...part.attributes };
    count++;
    const made = ((count * salt) % 99_991).toString(36);
    if (habit !== 'plain') {
      attributes['class'] = `css-${made}x${count % 10}`;
      // Ids that belong together keep doing so, whatever they are.
      for (const name of ['id', 'for']) if (attributes[name] !== undefined) attributes[name] = `:r${attributes[name].length}${salt % 7}:`;
    } else attributes['class'] = change === 'classes' ? 'restyled' : 'widget';
    const text = Object.entries(attributes)
      .map(([name, value]) => ` ${name}="${value}"`)
      .join('');
    const inner = part.children.map(write).join('');
    const html = `<${part.tag}${text}>${part.tag === 'input' ? '' : `${inner}</${part.tag}>`}`;
    return habit === 'made' && part.tag === 'button' ? `<div class="css-${made}w">${html}</div>` : html;
  };
  const own = write(tree);
  const framed = habit === 'shadow' ? `<x-widget><template shadowrootmode="open">${own}</template></x-widget>` : own;
  const block = change === 'moved' ? `<aside><section><div>${framed}</div></section></aside>` : `<section>${framed}</section>`;
  const head = '<header><a href="/">Home</a><button type="button">Help</button></header>';
  const foot = '<footer><button type="button">Feedback</button></footer>';
  return `<!doctype html><title>${widget}</title><body>${change === 'moved' ? `${foot}${head}${block}` : `${head}<main>${block}</main>${foot}`}</body>`;
}
