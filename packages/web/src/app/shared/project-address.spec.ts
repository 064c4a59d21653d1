import { addressIn, addressWithProject, projectIn, rememberProject } from './project-address';

describe('the address of a project', () => {
  const projects = [
    { id: 'p1', state: 'archived' },
    { id: 'p2', state: 'active' },
    { id: 'p3', state: 'active' },
  ];
  beforeEach(() => {
    localStorage.clear();
  });

  it('names it before the place within', () => {
    expect(['/projects/p2/scripts/s1', '/projects', '/scripts/s1', '/'].map(projectIn)).toEqual(['p2', '', '', '']);
    expect(addressIn('p2')).toBe('/projects/p2/board');
  });

  it('is that of the last project where it names none, else of the first in use, and the list where there is none', () => {
    expect(addressWithProject('/scripts/s1?a=b', projects)).toBe('/projects/p2/scripts/s1?a=b');
    rememberProject('p3');
    expect(addressWithProject('/', projects)).toBe('/projects/p3/board');
    rememberProject('p1');
    expect(addressWithProject('/runs', projects)).toBe('/projects/p2/runs');
    expect(addressWithProject('/runs', projects.slice(0, 1))).toBe('/projects');
  });
});
