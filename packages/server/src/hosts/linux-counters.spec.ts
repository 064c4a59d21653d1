import { countersBetween, linuxCounters } from './linux-counters.js';

/** As /proc/vmstat and /proc/pressure/io have them (proc(5); kernel documentation, PSI). */
const vmstat = (faults: number) => `pgfault 1222222\npgmajfault ${faults}\npgrefill 0\n`;
const pressure = (total: number) =>
  `some avg10=0.22 avg60=2.28 avg300=1.04 total=${total}\nfull avg10=0.19 avg60=2.00 avg300=0.81 total=148263842\n`;

describe('counters of Linux', () => {
  it('become faults a second and the share of the time in which some task waited', () => {
    const before = linuxCounters(1000, vmstat(19_471), pressure(326_552_202));
    const now = linuxCounters(3000, vmstat(19_871), pressure(326_552_202 + 500_000));
    // 400 faults and 0.5 s of waiting within 2 s.
    expect(countersBetween(before, now)).toEqual({ 'page-faults': 200, 'disk-wait': 25 });
  });

  it('say nothing at the first reading, where a file is missing, and where one began anew', () => {
    const some = linuxCounters(1000, vmstat(10), pressure(20));
    expect(countersBetween(null, some)).toEqual({ 'page-faults': null, 'disk-wait': null });
    expect(countersBetween(some, linuxCounters(2000, null, 'nothing of it'))).toEqual({ 'page-faults': null, 'disk-wait': null });
    expect(countersBetween(some, linuxCounters(2000, vmstat(3), pressure(1)))).toEqual({ 'page-faults': null, 'disk-wait': null });
  });
});
