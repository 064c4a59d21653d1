import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { problemOf } from './api';
import { bytes, clock, figure } from './format';
import { VerdictShape } from './verdict-shape';

it.each([
  ['passed', 'passed', 'circle'],
  ['drifted', 'drifted', 'path'],
  ['failed', 'failed', 'path'],
  ['not-sent', 'not sent', 'circle'],
  ['anything', 'not yet', 'circle'],
])('the verdict %s is told by shape and by name', (verdict, label, element) => {
  const fixture = TestBed.createComponent(VerdictShape);
  fixture.componentRef.setInput('verdict', verdict);
  fixture.detectChanges();
  const svg = (fixture.nativeElement as HTMLElement).querySelector('svg');
  expect(svg?.getAttribute('aria-label')).toBe(label);
  expect(svg?.firstElementChild?.tagName).toBe(element);
});

it('problems reach the user in the server’s own sentence', () => {
  expect(problemOf(new HttpErrorResponse({ status: 422, error: { detail: 'Add rows.' } }))).toBe('Add rows.');
  expect(problemOf(new HttpErrorResponse({ status: 422, error: '{"detail":"Add rows."}' }))).toBe('Add rows.');
  expect(problemOf(new HttpErrorResponse({ status: 0 }))).toContain('does not answer');
  expect(problemOf(new Error('boom'))).toBe('boom');
});

it('figures are written as people read them', () => {
  expect([clock(75), clock(3600)]).toEqual(['1:15', '60:00']);
  expect([bytes(999), bytes(1500), bytes(2_500_000)]).toEqual(['999 B', '1.5 kB', '2.5 MB']);
  expect(figure(12345.678, 1)).toBe('12,345.7');
});
