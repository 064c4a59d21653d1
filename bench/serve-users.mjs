// A server for many users: answers at once, or after so many ms, and says in a header how long it had the request.
import { createServer } from 'node:http';

const server = createServer((request, response) => {
  const began = performance.now();
  request.resume();
  const waitMs = Number(new URL(request.url ?? '/', 'http://127.0.0.1').searchParams.get('ms') ?? 0);
  const answer = () => {
    response.setHeader('Content-Type', 'text/plain');
    response.setHeader('Took', (performance.now() - began).toFixed(3));
    response.end('ok');
  };
  if (waitMs > 0) setTimeout(answer, waitMs);
  else answer();
});
server.keepAliveTimeout = 120_000;
server.listen(0, '127.0.0.1', () => process.send?.(server.address().port));
// It ends with the bench that started it, however that ends.
process.on('disconnect', () => process.exit());
