// Loaded into the product before anything else (node --import): makes the disk under FAULTS_FOLDER read-only or slow, and the clock jump, as
// the file FAULTS_CONTROL says: “read-only”, “slow”, “clock 3600” (seconds), or nothing.
import fs from 'node:fs';
import { syncBuiltinESMExports } from 'node:module';

const { FAULTS_CONTROL: control, FAULTS_FOLDER: folder } = process.env;
const readNow = fs.readFileSync;
let said = '';
let askedAt = 0;
const fault = () => {
  // Without the patched functions, and not at each call.
  const now = performance.now();
  if (now - askedAt > 20) {
    askedAt = now;
    try {
      said = readNow(control, 'utf8').trim();
    } catch {
      said = '';
    }
  }
  return said;
};

const paths = new Map();
const isHere = (where) => String(typeof where === 'number' ? (paths.get(where) ?? '') : where).startsWith(folder);
const sleeper = new Int32Array(new SharedArrayBuffer(4));
const onWrite = (where) => {
  if (!isHere(where)) return;
  if (fault() === 'read-only')
    throw Object.assign(new Error('EROFS: read-only file system'), { code: 'EROFS', errno: -30, syscall: 'write' });
  if (fault() === 'slow') Atomics.wait(sleeper, 0, 0, 40);
};
const openFor = fs.openSync;
fs.openSync = (path, flags, ...rest) => {
  const writes = typeof flags === 'number' ? (flags & 3) !== 0 || (flags & fs.constants.O_CREAT) !== 0 : /[wa+]/.test(flags ?? 'r');
  if (writes && fault() === 'read-only') onWrite(path);
  const descriptor = openFor(path, flags, ...rest);
  paths.set(descriptor, String(path));
  return descriptor;
};
for (const name of ['writeSync', 'writevSync', 'ftruncateSync', 'truncateSync', 'unlinkSync', 'mkdirSync', 'renameSync']) {
  const usual = fs[name];
  fs[name] = (where, ...rest) => {
    onWrite(where);
    return usual(where, ...rest);
  };
}
const mayAccess = fs.accessSync;
fs.accessSync = (path, mode) => {
  if (mode === fs.constants.W_OK && isHere(path) && fault() === 'read-only') onWrite(path);
  return mayAccess(path, mode);
};
syncBuiltinESMExports();

// The clock of the wall jumps; what measures durations does not, on no machine.
const RealDate = Date;
const offsetMs = () => (fault().startsWith('clock ') ? Number(fault().slice(6)) * 1000 : 0);
globalThis.Date = class extends RealDate {
  constructor(...given) {
    super(...(given.length === 0 ? [RealDate.now() + offsetMs()] : given));
  }
  static now() {
    return RealDate.now() + offsetMs();
  }
};
