import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';

export interface Message {
  id: number;
  tone: 'bad' | 'good' | 'warn';
  text: string;
}

/** What the product tells the user at the foot of the screen. */
export const messageActions = createActionGroup({
  source: 'Messages',
  events: { Told: props<{ tone: Message['tone']; text: string }>(), Closed: props<{ id: number }>(), 'All closed': emptyProps() },
});

const initial: { list: Message[]; next: number } = { list: [], next: 1 };

export const messagesFeature = createFeature({
  name: 'messages',
  reducer: createReducer(
    initial,
    on(messageActions.told, (state, { tone, text }) => ({
      list: [...state.list.slice(-3), { id: state.next, tone, text }],
      next: state.next + 1,
    })),
    on(messageActions.closed, (state, { id }) => ({ ...state, list: state.list.filter((message) => message.id !== id) })),
    on(messageActions.allClosed, (state) => ({ ...state, list: [] })),
  ),
});
