import { ChangeDetectionStrategy, Component, computed, inject, linkedSignal, resource, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { ReceivedPlaceSchema, SentPlaceSchema, type HandoffPattern, type PatternFind } from '@sturdy/core';
import { catchError, debounceTime, firstValueFrom, map, of, switchMap, type Observable } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import type { ListedPattern } from '@sturdy/core';
import { messageActions } from '../state/messages';
import { takesActions } from '../state/takes.actions';
import { takesFeature } from '../state/takes.feature';
import { WhyNot } from '../shared/why-not';

const sentNames: Record<HandoffPattern['sent']['in'][number], string> = {
  path: 'path',
  query: 'query',
  form: 'form field',
  json: 'JSON',
  xml: 'XML',
  header: 'header',
  cookie: 'cookie',
};
const receivedNames: Record<HandoffPattern['received']['in'][number], string> = {
  header: 'header',
  cookie: 'cookie',
  field: 'form field',
  attribute: 'attribute',
  json: 'JSON',
  xml: 'XML',
  text: 'script or text',
};

const fresh = (): HandoffPattern => ({
  id: crypto.randomUUID(),
  name: 'New pattern',
  about: '',
  enabled: true,
  sent: { in: [], name: '', value: '' },
  received: { in: [], name: '', afterChange: false },
  decision: 'hand-off',
});

/** Handoff patterns: what is known of values by their names, and what each would find in a take before it is saved. */
@Component({
  selector: 'app-pattern-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, RouterLink],
  templateUrl: './pattern-screen.html',
  styleUrl: './pattern-screen.scss',
})
export class PatternScreen {
  readonly #api = inject(Api);
  readonly #store = inject(Store);
  readonly patterns = resource({ loader: (): Promise<ListedPattern[]> => firstValueFrom(this.#api.patterns()) });
  readonly exportAddress = this.#api.patternsFile;
  readonly takes = this.#store.selectSignal(takesFeature.selectAll);
  readonly chosenId = signal<string | null>(null);
  readonly #added = signal<HandoffPattern | null>(null);
  readonly all = computed((): ListedPattern[] => {
    const added = this.#added();
    return [...(this.patterns.value() ?? []), ...(added ? [{ ...added, shipped: false, changed: false }] : [])];
  });
  readonly chosen = computed(() => this.all().find((pattern) => pattern.id === this.chosenId()) ?? this.all()[0]);
  /** The chosen pattern as it is being edited. */
  readonly draft = linkedSignal<HandoffPattern | undefined>(() => {
    const chosen = this.chosen();
    return chosen && plain(chosen);
  });
  readonly unsaved = computed(() => {
    const [draft, chosen] = [this.draft(), this.chosen()];
    return draft !== undefined && (this.#added()?.id === draft.id || JSON.stringify(draft) !== JSON.stringify(chosen && plain(chosen)));
  });
  readonly takeId = signal<string | null>(null);
  readonly take = computed(() => this.takes().find((take) => take.id === this.takeId()) ?? this.takes()[0]);
  readonly #asked = computed(() => ({ pattern: this.draft(), take: this.take()?.id }));
  readonly preview = toSignal(
    toObservable(this.#asked).pipe(
      debounceTime(300),
      switchMap(({ pattern, take }): Observable<{ finds: PatternFind[]; problem: string | null } | null> =>
        pattern === undefined || take === undefined
          ? of(null)
          : this.#api.previewPattern(take, pattern).pipe(
              map((finds) => ({ finds, problem: null })),
              catchError((error: unknown) => of({ finds: [], problem: problemOf(error) })),
            ),
      ),
    ),
  );
  readonly readable = computed(() => this.preview()?.finds.filter((find) => find.reads !== null).length ?? 0);
  readonly sentPlaces = SentPlaceSchema.options.map((id) => ({ id, name: sentNames[id] }));
  readonly receivedPlaces = ReceivedPlaceSchema.options.map((id) => ({ id, name: receivedNames[id] }));

  constructor() {
    this.#store.dispatch(takesActions.listAsked());
  }

  add(): void {
    const pattern = fresh();
    this.#added.set(pattern);
    this.chosenId.set(pattern.id);
  }
  choose(id: string): void {
    this.chosenId.set(id);
  }
  change(part: Partial<HandoffPattern>): void {
    const draft = this.draft();
    if (draft) this.draft.set({ ...draft, ...part });
  }
  changeSent(part: Partial<HandoffPattern['sent']>): void {
    const draft = this.draft();
    if (draft) this.change({ sent: { ...draft.sent, ...part } });
  }
  changeReceived(part: Partial<HandoffPattern['received']>): void {
    const draft = this.draft();
    if (draft) this.change({ received: { ...draft.received, ...part } });
  }
  toggled<T>(list: readonly T[], item: T): T[] {
    return list.includes(item) ? list.filter((listed) => listed !== item) : [...list, item];
  }
  switchOn(pattern: ListedPattern): void {
    this.#show(this.#api.savePattern({ ...plain(pattern), enabled: !pattern.enabled }));
  }
  save(): void {
    const draft = this.draft();
    if (draft)
      this.#show(this.#api.savePattern(draft), () => {
        this.#added.set(null);
      });
  }
  discard(): void {
    this.#added.set(null);
    const chosen = this.chosen();
    this.draft.set(chosen && plain(chosen));
  }
  remove(id: string): void {
    this.#show(this.#api.deletePattern(id));
  }
  async bringIn(input: HTMLInputElement): Promise<void> {
    const text = await input.files?.[0]?.text();
    input.value = '';
    if (text === undefined) return;
    this.#show(
      this.#api.importPatterns(text).pipe(
        map(({ list, count }) => {
          this.#store.dispatch(messageActions.told({ tone: 'good', text: `${count} ${count === 1 ? 'pattern' : 'patterns'} came in.` }));
          return list;
        }),
      ),
    );
  }

  #show(asked: Observable<ListedPattern[]>, then?: () => void): void {
    asked.subscribe({
      next: (list) => {
        then?.();
        this.patterns.set(list);
      },
      error: (error: unknown) => {
        this.#store.dispatch(messageActions.told({ tone: 'bad', text: problemOf(error) }));
      },
    });
  }
}

/** The pattern without what the list says about it. */
function plain({ id, name, about, enabled, sent, received, decision }: ListedPattern): HandoffPattern {
  return { id, name, about, enabled, sent, received, decision };
}
