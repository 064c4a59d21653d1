import { TestBed } from '@angular/core/testing';
import type { CapturedLine, Failure } from '@sturdy/core';
import { FailureGroups } from './failure-groups';

const failure = (more: Partial<Failure>): Failure => ({
  crew: 'c',
  transaction: 'Book intake',
  step: 's4',
  code: 'status-unexpected',
  subject: '503',
  message: 'It answered 503 instead of 200.',
  count: 12,
  firstSecond: 61,
  lastSecond: 75,
  example: null,
  ...more,
});

function shown(failures: Failure[]): HTMLElement {
  const fixture = TestBed.createComponent(FailureGroups);
  fixture.componentRef.setInput('failures', failures);
  fixture.componentRef.setInput('stepNames', new Map([['s4', 'POST /intakes']]));
  fixture.detectChanges();
  return fixture.nativeElement as HTMLElement;
}

describe('Failures of a run', () => {
  it('say how often, where and when, what the code means and what to do', () => {
    const text = shown([failure({})]).textContent.replace(/\s+/g, ' ');
    expect(text).toContain('12 ×');
    expect(text).toContain('unexpected status: 503 in POST /intakes, from 1:01 to 1:15');
    expect(text).toContain('It answered 503 instead of 200.');
    expect(text).toContain('Look at an example. 401 and 403 point to sessions');
  });

  it('of a run of an earlier version stand with their sentence alone', () => {
    const text = shown([failure({ code: '', subject: 'It broke …', message: 'It broke 17' })]).textContent.replace(/\s+/g, ' ');
    expect(text).toContain('failure in POST /intakes');
    expect(text).toContain('It broke 17');
  });

  it('open and close their example', () => {
    const captured = {
      kind: 'request' as const,
      step: 's4',
      startedAtMs: 0,
      durationMs: 12,
      request: { method: 'POST', url: 'http://127.0.0.1/intakes', headers: [], body: null },
      response: null,
      failure: null,
      timings: { blocked: 0, dns: -1, connect: -1, tls: -1, send: 0, wait: 12, receive: 0 },
    };
    const fixture = TestBed.createComponent(FailureGroups);
    fixture.componentRef.setInput('failures', [failure({ example: { user: 3, captured, requestText: 'lot=17', responseText: 'busy' } })]);
    fixture.componentRef.setInput('stepNames', new Map());
    fixture.detectChanges();
    const host = fixture.nativeElement as HTMLElement;
    expect(host.textContent).not.toContain('lot=17');
    host.querySelector('button')?.click();
    fixture.detectChanges();
    expect(host.textContent).toContain('lot=17');
    host.querySelector('button')?.click();
    fixture.detectChanges();
    expect(host.textContent).not.toContain('lot=17');
  });

  it('show an example of whatever kind in its own words', () => {
    const line: CapturedLine = {
      kind: 'line',
      step: 's4',
      startedAtMs: 0,
      durationMs: 12,
      origin: 'tcp://127.0.0.1:9100',
      sent: 'PRINT 17',
      answer: 'ERR paper',
      failure: null,
      timings: { connect: -1, wait: 12 },
    };
    const fixture = TestBed.createComponent(FailureGroups);
    const example = { user: 3, captured: line, requestText: 'PRINT 17', responseText: 'ERR paper' };
    fixture.componentRef.setInput('failures', [failure({ example })]);
    fixture.componentRef.setInput('stepNames', new Map());
    fixture.detectChanges();
    const host = fixture.nativeElement as HTMLElement;
    host.querySelector('button')?.click();
    fixture.detectChanges();
    expect(host.textContent).toContain('Sent by user 3: tcp://127.0.0.1:9100 PRINT 17');
    expect(host.textContent).toContain('Answered “ERR paper” in 12 ms');
  });

  it('say so where there are none', () => {
    expect(shown([]).textContent).toContain('Nothing failed.');
  });
});
