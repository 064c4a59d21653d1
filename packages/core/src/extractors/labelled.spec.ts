import { allMatches, describeExtractor, locateMatches, readValue, ResponseView, ExtractorSchema, type Extractor } from '../index.js';

const page = (body: string) => new ResponseView(200, [['Content-Type', 'text/html']], body);
const labelled = (label: string, more: Partial<Extractor> = {}): Extractor =>
  ExtractorSchema.parse({ kind: 'labelled', label, nth: 0, ...more });
const found = (body: string, label: string, more: Partial<Extractor> = {}) => allMatches(labelled(label, more), page(body));

describe('what is labelled', () => {
  it('is the labelled control (examples of the HTML standard, 4.10.4 and 4.10.5, from memory)', () => {
    expect(found('<p><label>Full name: <input name=fn value="Mara Lund"></label></p>', 'Full name')).toEqual(['Mara Lund']);
    expect(found('<label for=q>Quantity</label> <input id=q type=number value=12><input value=13>', 'Quantity:')).toEqual(['12']);
    const list = '<label>Size: <select><option>Small<option selected>Medium<option>Large</select></label>';
    expect(found(list, 'Size')).toEqual(['Medium']);
    expect(found(list.replace(' selected', ''), 'Size')).toEqual(['Small']);
    expect(found('<label>Remarks <textarea>two\npallets</textarea></label>', 'Remarks')).toEqual(['two pallets']);
  });

  it('is each description of a term (the example of the HTML standard, 4.4.9, from memory)', () => {
    const terms = '<dl><dt> Authors<dd> John<dd> Luke<dt> Editor<dd> Frank</dl>';
    expect(found(terms, 'Authors')).toEqual(['John', 'Luke']);
    expect(found(terms, 'Editor')).toEqual(['Frank']);
    expect(readValue(labelled('Authors', { nth: 1 }), page(terms), () => 0)).toBe('Luke');
    expect(readValue(labelled('Authors', { pick: 'last' }), page(terms), () => 0)).toBe('Luke');
  });

  it('is the cell of a header, behind it or below it (the example of the HTML standard, 4.9.10, from memory)', () => {
    const table = `<table><thead><tr><th>ID<th>Measurement<th>Average<th>Maximum
      <tbody><tr><td><th scope=rowgroup>Cats<td><td>
      <tr><td>93<th>Legs<td>3.5<td>4 <tr><td>10<th>Tails<td>1<td>1</table>`;
    expect(found(table, 'Legs')).toEqual(['3.5']);
    expect(found(table, 'Maximum')).toEqual(['4', '1']);
    expect(found(table, 'Maximum', { beside: [{ kind: 'text', text: 'Tails' }] })).toEqual(['1']);
  });

  it('is what carries the name for those who cannot see it (examples of WAI-ARIA 1.2, aria-labelledby and aria-label, from memory)', () => {
    expect(found('<div id=b>Billing</div><div id=n>Name</div><input aria-labelledby="b n" value=Lund>', 'Billing Name')).toEqual(['Lund']);
    expect(found('<output aria-label="Intake number"> 20 418 </output>', 'Intake number')).toEqual(['20 418']);
  });

  it('is what stands behind a text that looks like its label, where nothing says more', () => {
    expect(found('<div><span>State</span><b>booked</b></div>', 'State')).toEqual(['booked']);
    expect(found('<div><div><b>Gate</b></div><div>17</div></div>', 'Gate')).toEqual(['17']);
    // A label that is declared wins over one that only looks like it.
    expect(found('<b>Gate</b><i>no</i><label>Gate <input value=3></label>', 'Gate')).toEqual(['3']);
  });

  it('is shown where it stands, and in words', () => {
    const body = '<p><label>Gate <input value="G-17"></label>';
    const [place] = locateMatches(labelled('Gate'), page(body));
    expect(body.slice(place?.span?.start, place?.span?.end)).toBe('G-17');
    expect(describeExtractor(labelled('Gate'))).toBe('what is labelled “Gate”');
  });

  it('is found in a page that is nested deeper than any program would nest it', () => {
    const deep = `${'<div>'.repeat(5000)}<label>Gate <input value=7></label>`;
    expect(found(deep, 'Gate')).toEqual(['7']);
    expect(found(deep, 'No such label')).toEqual([]);
  });

  it('is nothing in what is no page, nor for an empty label', () => {
    expect(allMatches(labelled('a'), new ResponseView(200, [['Content-Type', 'application/json']], '{"a":"b"}'))).toEqual([]);
    expect(found('<label> <input value=3></label>', ' : ')).toEqual([]);
  });
});
