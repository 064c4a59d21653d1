import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { NEVER } from 'rxjs';
import { HistoryPage } from './history-page';
import { ListPage } from './list-page';
import { WhyNot } from './why-not';

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot],
  template: `<button title="Deletes the rows" [whyNot]="why()">Delete</button><button [whyNot]="why()">Add</button>`,
})
class Buttons {
  readonly why = signal<string | false | null>(null);
}

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ListPage],
  template: `<app-list-page heading="Runs" hint="newest first" [count]="count()" [listed]="listed()">
    <a actions href="/new">New</a>
    <p above>Two hours are kept.</p>
    <thead>
      <tr>
        <th>Name</th>
      </tr>
    </thead>
    <tbody>
      <tr>
        <td>Run 7</td>
      </tr>
    </tbody>
    <p empty>No run yet.</p>
  </app-list-page>`,
})
class Runs {
  readonly count = signal(0);
  readonly listed = signal(false);
}

function render<T>(component: new () => T) {
  const fixture = TestBed.createComponent(component);
  fixture.detectChanges();
  const element = fixture.nativeElement as HTMLElement;
  return {
    shown: fixture.componentInstance,
    element,
    update: () => {
      fixture.detectChanges();
    },
  };
}

describe('a button that may not be pressed', () => {
  it('is disabled for a reason, which it says in place of what it says of itself', () => {
    const { shown, element, update } = render(Buttons);
    const said = () =>
      [...element.querySelectorAll('button')].map((button) => [button.disabled, button.title, button.getAttribute('aria-description')]);
    expect(said()).toEqual([
      [false, 'Deletes the rows', null],
      [false, '', null],
    ]);
    shown.why.set('No row is chosen.');
    update();
    expect(said()).toEqual([
      [true, 'No row is chosen.', 'No row is chosen.'],
      [true, 'No row is chosen.', 'No row is chosen.'],
    ]);
    // Neither a condition that does not hold nor an empty sentence is a reason.
    for (const none of [false, null, ''] as const) {
      shown.why.set(none);
      update();
      expect(said().map(([disabled]) => disabled)).toEqual([false, false]);
    }
  });
});

describe('the page of a list', () => {
  it('shows neither a table nor that it is empty before the list was read, and then one of them', () => {
    const { shown, element, update } = render(Runs);
    const has = (text: string) => element.textContent.includes(text);
    expect(element.querySelector('h1')?.textContent).toBe('Runs');
    expect([has('New'), has('Two hours are kept.'), has('newest first')]).toEqual([true, true, true]);
    expect([element.querySelector('table'), has('No run yet.')]).toEqual([null, false]);
    shown.listed.set(true);
    update();
    expect([element.querySelector('table'), has('No run yet.')]).toEqual([null, true]);
    shown.count.set(1);
    update();
    expect(element.querySelector('table')?.getAttribute('aria-label')).toBe('Runs');
    expect([has('Run 7'), has('No run yet.')]).toEqual([true, false]);
  });
});

describe('the page of the versions of a document', () => {
  it('leads back to the document, and names it', () => {
    TestBed.configureTestingModule({ providers: [provideRouter([])] });
    const fixture = TestBed.createComponent(HistoryPage);
    fixture.componentRef.setInput('link', ['/scripts', 's1']);
    fixture.componentRef.setInput('name', 'Book intake');
    fixture.componentRef.setInput('label', 'Script as text');
    fixture.componentRef.setInput('source', { versions: () => NEVER, textOf: () => NEVER, restore: () => NEVER });
    fixture.detectChanges();
    const heading = (fixture.nativeElement as HTMLElement).querySelector('h1');
    expect(heading?.textContent.replace(/\s+/g, ' ').trim()).toBe('Book intake · versions');
    expect(heading?.querySelector('a')?.getAttribute('href')).toBe('/scripts/s1');
  });
});
