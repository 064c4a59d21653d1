import { liveStream } from './live-stream';

/** A stream of events (HTML standard, 9.2) that a test fills. */
class FakeSource {
  static last: FakeSource;
  readonly heard = new Map<string, (event: { data: string }) => void>();
  isClosed = false;
  constructor(readonly address: string) {
    FakeSource.last = this;
  }
  addEventListener(kind: string, listener: (event: { data: string }) => void): void {
    this.heard.set(kind, listener);
  }
  tell(kind: string, data: unknown): void {
    this.heard.get(kind)?.({ data: JSON.stringify(data) });
  }
  close(): void {
    this.isClosed = true;
  }
}

describe('the live stream', () => {
  beforeEach(() => {
    Object.assign(globalThis, { EventSource: FakeSource });
  });

  it('gives events of the kinds that are asked for, each read by its schema, and closes with its listener', () => {
    const events: unknown[] = [];
    const listening = liveStream('/api/scripts/s/live', ['step', 'correlating']).subscribe((event) => events.push(event));
    expect([FakeSource.last.address, [...FakeSource.last.heard.keys()]]).toEqual(['/api/scripts/s/live', ['step', 'correlating']]);
    FakeSource.last.tell('step', { step: 's4', more: 'that no schema knows' });
    FakeSource.last.tell('correlating', { done: 1, total: 8 });
    FakeSource.last.tell('rehearsal', { id: 'r' });
    expect(events).toEqual([
      { kind: 'step', data: { step: 's4' } },
      { kind: 'correlating', data: { done: 1, total: 8 } },
    ]);
    listening.unsubscribe();
    expect(FakeSource.last.isClosed).toBe(true);
  });

  it('lets nothing through that is not of its kind', () => {
    const events: unknown[] = [];
    liveStream('/api/runs/r/live', ['second']).subscribe((event) => events.push(event));
    expect(() => {
      FakeSource.last.tell('second', { point: 'none' });
    }).toThrow('expected object');
    expect(events).toEqual([]);
  });
});
