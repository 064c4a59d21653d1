import { parseArgs } from 'node:util';
import { defaultPostSettings, startPost } from './post.js';

const { values } = parseArgs({
  options: {
    'smtp-port': { type: 'string', default: String(defaultPostSettings.smtpPort) },
    'web-port': { type: 'string', default: String(defaultPostSettings.webPort) },
  },
});
const post = await startPost({ smtpPort: Number(values['smtp-port']), webPort: Number(values['web-port']) });
process.stdout.write(`${JSON.stringify({ ready: 'post', smtpPort: post.smtpPort, origin: post.origin })}\n`);
process.on('SIGTERM', () => void post.stop().then(() => process.exit(0)));
