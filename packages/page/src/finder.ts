import { sight } from './sighting.js';

// The value of the program: what `finderCode` says.
export default sight;
