import { matchCommands, type Command } from './commands';

const command = (name: string, hint: string): Command => ({ name, hint, icon: 'x', run: () => undefined });

it('the palette finds commands by all typed words, in any order', () => {
  const all = [command('Go to Board', 'place'), command('Book intake', 'script'), command('Rehearse Book intake', 'do')];
  expect(matchCommands(all, 'intake book').map((command) => command.name)).toEqual(['Book intake', 'Rehearse Book intake']);
  expect(matchCommands(all, 'script book').map((command) => command.name)).toEqual(['Book intake']);
  expect(matchCommands(all, '')).toHaveLength(3);
  expect(matchCommands(all, 'nowhere')).toEqual([]);
});
