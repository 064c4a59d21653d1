// A small HTTP server in a process of its own: the same page for everybody, with a cookie, a form field and a JSON id.
import { createServer } from 'node:http';

const page = `<html><head><title>Page</title></head><body><form><input type="hidden" name="key" value="k-1234567890abcdef"></form>${'<p>text</p>'.repeat(60)}</body></html>`;
const json = JSON.stringify({ id: 'id-987654321', items: Array.from({ length: 20 }, (_, index) => ({ index })) });

const server = createServer((request, response) => {
  request.resume();
  if (request.url?.startsWith('/json')) response.writeHead(200, { 'Content-Type': 'application/json' }).end(json);
  else if (request.url === '/plain') response.writeHead(200, { 'Content-Type': 'text/html' }).end(page);
  else response.writeHead(200, { 'Content-Type': 'text/html', 'Set-Cookie': 'sid=0123456789abcdef; Path=/' }).end(page);
});
server.listen(0, '127.0.0.1', () => process.send?.(server.address().port));
// It ends with the bench that started it, however that ends.
process.on('disconnect', () => process.exit());
