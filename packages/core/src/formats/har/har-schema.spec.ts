import { createRequire } from 'node:module';
import { join } from 'node:path';
import Ajv from 'ajv';
import { exportHar } from '../../index.js';
import { form, html, TakeBuilder } from '../../test/take-builder.js';

/** The JSON Schemas of HAR 1.2, as the package har-schema publishes them, are the reference for what we write. */
const load = createRequire(join(__dirname, 'har.js'));
const ajv = new Ajv();
ajv.addMetaSchema(load('ajv/lib/refs/json-schema-draft-06.json') as object);
for (const schema of Object.values(load('har-schema') as Record<string, { $id?: string }>))
  if (schema.$id !== undefined) ajv.addSchema(schema);
const isHar = (document: unknown): string[] => {
  ajv.validate('har.json#', document);
  return (ajv.errors ?? []).map((error) => `${error.dataPath} ${error.message ?? ''}`);
};

it('what we write has every field that HAR 1.2 demands: plain, posted, failed, with messages, with marks', () => {
  const loaded = new TakeBuilder()
    .add(['GET', '/?a=1', [['Cookie', 'sid=1']]], [200, [...html, ['Set-Cookie', 'b=2; Path=/']], '<p>'])
    .add(['POST', '/form', form, 'a=1&b=2'], [303, [['Location', '/done']]])
    .add(['GET', '/live'], [101, []])
    .add(['GET', '/gone'], [200, []])
    .load();
  const [first, second, third, fourth] = loaded.exchanges;
  if (!first || !second || !third || !fourth) throw new Error('four exchanges');
  const exchanges = [
    first,
    second,
    { ...third, messages: [{ atMs: 5, from: 'client' as const, kind: 'text' as const, text: 'x', base64: '', size: 1 }] },
    { ...fourth, response: null, failure: 'It reset the connection.' },
  ];
  const take = { ...loaded.take, marks: [{ kind: 'begin' as const, atMs: 0, text: 'Open' }] };
  const written = exportHar(take, exchanges, (hash) => {
    const text = loaded.readBody(hash);
    return text === undefined ? undefined : Buffer.from(text);
  });
  expect(isHar(JSON.parse(JSON.stringify(written)))).toEqual([]);
});

it('the reference does refuse what lacks a field', () => {
  expect(isHar({ log: { version: '1.2', creator: { name: 'x', version: '1' }, entries: [{ time: 1 }] } }).length).toBeGreaterThan(0);
});
