import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import type { About, Backup } from '@sturdy/core';
import { of, Subject } from 'rxjs';
import { Api } from '../shared/api';
import { render } from '../test/render';
import { AboutScreen } from './about-screen';

const about: About = {
  version: '0.1.0',
  node: 'v20.20.2',
  system: 'Linux 6',
  pid: 7,
  startedAt: '2026-11-30T08:00:00.000Z',
  memoryBytes: 400_000_000,
  database: { kind: 'embedded', place: '/srv/sturdy', bytes: 80_000_000 },
  folders: [{ what: 'Backups', path: '/srv/sturdy/backups', bytes: 0, files: 0 }],
  disk: { totalBytes: 100_000_000_000, freeBytes: 50_000_000_000 },
  interrupted: { runs: [3], takes: ['Goods in'], exchanges: 2 },
  health: [{ what: 'Database', isGood: true, text: 'answers' }],
  log: { file: '/srv/sturdy/log/sturdy.log', recent: [] },
};

async function screen() {
  const answers = new Subject<Backup>();
  TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: { about: () => of(about), backUp: () => answers } }] });
  const rendered = render(AboutScreen);
  const settle = async () => {
    await rendered.fixture.whenStable();
    rendered.fixture.detectChanges();
  };
  await settle();
  return { ...rendered, answers, settle };
}

describe('the page about the server', () => {
  it('says how it is, where everything lies, and what its last stop interrupted', async () => {
    const { text } = await screen();
    expect(text()).toContain('Databaseanswers');
    expect(text()).toContain('Run 3: its figures up to the last flush are kept');
    expect(text()).toContain('2 recorded answers came in from the journal.');
    expect(text()).toContain('/srv/sturdy/backups');
  });

  it('makes a backup, once at a time, and says where it lies', async () => {
    const { click, button, text, answers, settle } = await screen();
    click('Back up everything');
    await settle();
    expect(text()).toContain('A backup is being made.');
    expect(button('Back up everything').disabled).toBe(true);
    answers.next({ path: '/srv/sturdy/backups/sturdy-1.tar.gz', bytes: 7_600_000, at: '2026-11-30T09:00:00.000Z' });
    answers.complete();
    await settle();
    expect(text()).toMatch(/The backup lies on the machine of the server: \/srv\/sturdy\/backups\/sturdy-1\.tar\.gz, 7\.\d MB/);
    expect(button('Back up everything').disabled).toBe(false);
  });

  it('says why none was made', async () => {
    const { click, text, answers, settle } = await screen();
    click('Back up everything');
    answers.error(new HttpErrorResponse({ status: 500, error: { detail: 'No room on the disk.' } }));
    await settle();
    expect(text()).toContain('No backup was made. No room on the disk.');
  });
});
