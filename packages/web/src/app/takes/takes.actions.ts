import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { Exchange, Mark, Script, Take } from '@sturdy/core';
import type { CountedTake, ScriptOptions } from '../shared/api';

export const takesActions = createActionGroup({
  source: 'Takes',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ list: CountedTake[] }>(),
    'Take opened': props<{ id: string }>(),
    'Take loaded': props<{ take: Take; exchanges: Exchange[] }>(),
    'Exchange came': props<{ exchange: Exchange }>(),
    'Take changed': props<{ take: Take }>(),
    'Hosts refused': props<{ hosts: string[] }>(),
    'Recording wanted': props<{ name: string }>(),
    'Recording started': props<{ take: Take; proxy: string }>(),
    'Mark wanted': props<{ kind: Mark['kind']; text: string }>(),
    'Stop wanted': emptyProps(),
    'Recording stopped': props<{ take: Take }>(),
    'Browser wanted': props<{ address: string }>(),
    'Har chosen': props<{ name: string; file: File }>(),
    'Har imported': props<{ take: Take; problems: { entry: number; text: string }[]; exchangeCount: number }>(),
    'Import failed': emptyProps(),
    'Script wanted': props<{ takeId: string; options: ScriptOptions }>(),
    'Script made': props<{ script: Script }>(),
    'Delete wanted': props<{ id: string }>(),
  },
});
