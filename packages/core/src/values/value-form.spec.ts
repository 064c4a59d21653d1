import { formLike, inForm, ValueFormSchema } from '../index.js';

describe('values in a form', () => {
  it.each([
    // The forms of ISO 8601-1:2019 for a day: calendar, ordinal and week date, extended and basic (its own example day, 1985-04-12).
    ['yyyy-MM-dd', '19850412', '1985-04-12'],
    ['yyyy-MM-dd', '1985-102', '1985-04-12'],
    ['yyyy-MM-dd', '1985102', '1985102'],
    ['yyyy-MM-dd', '1985-W15-5', '1985-04-12'],
    ['yyyy-MM-dd', '1985W155', '1985-04-12'],
    ["kkkk-'W'WW-c", '1985-04-12', '1985-W15-5'],
    ['yyyy-ooo', '1985-04-12', '1985-102'],
    // A moment with its offset (its example of a combined date and time).
    ["yyyy-MM-dd'T'HH:mm:ssZZ", '1985-04-12T10:15:30+04:00', '1985-04-12T10:15:30+04:00'],
    ['HH:mm', '1985-04-12T10:15:30Z', '10:15'],
    ['X', '1970-01-01T00:00:10Z', '10'],
    ['x', '1970-01-01T00:00:10Z', '10000'],
    ['dd.MM.yyyy', '04/12/1985', '12.04.1985'],
    ['MM/dd/yyyy', '12.4.1985', '04/12/1985'],
    ['yyyy-MM-dd', '482155200000', '482155200000'],
    ['yyyy-MM-dd', '1764028800000', '2025-11-25'],
    ['yyyy-MM-dd', '2026-02-30', '2026-02-30'],
    ['dd.MM.yyyy', 'soon', 'soon'],
  ])('a day or moment as %s: %s is %s', (form, text, wanted) => {
    expect(inForm(form, text)).toBe(wanted);
  });

  it.each([
    ['0.00', '1250.5', '1250.50'],
    ['0,00', '1250.5', '1250,50'],
    ['#,0.00', '1234567.891', '1,234,567.89'],
    ['#.0,0', '-9999.96', '-10.000,0'],
    ["#'0", '1234567', "1'234'567"],
    ['# 0', '999', '999'],
    ['00000', '42', '00042'],
    ['0', '-0.4', '0'],
    ['0.00', '', ''],
    ['0.00', 'ten', 'ten'],
    ['0.0', '1e3', '1000.0'],
  ])('a number as %s: “%s” is “%s”', (form, text, wanted) => {
    expect(inForm(form, text)).toBe(wanted);
  });

  it.each([
    ['[1..4]', 'TWCU7700008', 'TWCU'],
    ['[5..10]', 'TWCU7700008', '770000'],
    ['[-1..]', 'TWCU7700008', '8'],
    ['[2..-2]', 'Möwe', 'öw'],
    ['[9..12]', 'short', ''],
  ])('a part as %s: %s is “%s”', (form, text, wanted) => {
    expect(inForm(form, text)).toBe(wanted);
  });

  it('are refused where the pattern says nothing', () => {
    for (const good of ['0', '#,0.00', 'dd.MM.yyyy', '[1..]', "'week' WW"]) expect(ValueFormSchema.safeParse(good).success).toBe(true);
    for (const bad of ['', '#,0,00', '0.', '[1-4]', '---', "'plain'", '1.00']) expect(ValueFormSchema.safeParse(bad).success).toBe(false);
  });

  it('are found by what was recorded, beside how a table writes it', () => {
    expect(formLike('12.04.1985', '2026-11-25')).toBe('dd.MM.yyyy');
    expect(formLike('12 Apr 1985', '2026-11-25')).toBe('dd MMM yyyy');
    expect(formLike('1985-04-12', '2026-11-25')).toBeNull();
    expect(formLike('1,250.50', '900')).toBe('#,0.00');
    expect(formLike('1.250,50', '900')).toBe('#.0,00');
    expect(formLike('00042', '7')).toBe('00000');
    expect(formLike('42', '7')).toBeNull();
    expect(formLike('TWCU7700008', 'TWCU7700013')).toBeNull();
  });
});
