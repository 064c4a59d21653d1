import { readMachine } from './machine-figures.js';

/** Reads the figures of this machine for the server, once for each message. It ends with the server. */
process.on('disconnect', () => process.exit());
process.on('message', () => {
  readMachine().then(
    (values) => process.send?.({ values }),
    (error: unknown) => process.send?.({ problem: error instanceof Error ? error.message : String(error) }),
  );
});
