#!/usr/bin/env node
// The notice board of the harbour office of Port Halcyon.
import { createServer } from 'node:http';
import { noticesFor, days } from '#notices';

const usage = `usage: noticeboard print [DAY] [--as text|page]
       noticeboard serve [PORT]
       noticeboard echo ...
days: ${days().join(', ')}`;

// Which formats there are is known only by the files in the folder.
async function render(format, day) {
  const { draw } = await import(`./formats/${format}.js`);
  return draw(day, noticesFor(day));
}

function serve(port) {
  const server = createServer(async (request, response) => {
    const day = request.url.slice(1) || days()[0];
    if (!days().includes(day)) {
      response.writeHead(404, { 'content-type': 'text/plain; charset=utf-8' });
      response.end(`no such day: ${day}\n`);
      return;
    }
    response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' });
    response.end(await render('page', day));
  });
  server.listen(port, '127.0.0.1', () => console.log(`http://127.0.0.1:${server.address().port}/`));
  process.on('SIGINT', () => {
    console.log('the board is closed');
    server.close(() => process.exit(130));
    server.closeAllConnections();
  });
}

const [command, ...rest] = process.argv.slice(2);
if (command === 'print') {
  const as = rest.indexOf('--as');
  const format = as >= 0 ? rest.splice(as, 2)[1] : 'text';
  const day = rest[0] ?? days()[0];
  if (!days().includes(day)) {
    console.error(`no such day: ${day}`);
    process.exitCode = 3;
  } else {
    process.stdout.write(await render(format, day));
  }
} else if (command === 'serve') {
  serve(Number(rest[0] ?? 0));
} else if (command === 'echo') {
  // What was given, and what comes on standard input.
  for (const one of rest) console.log(JSON.stringify(one));
  if (!process.stdin.isTTY) for await (const piece of process.stdin) process.stdout.write(piece);
} else {
  console.error(usage);
  process.exitCode = command === undefined || command === '--help' ? 0 : 2;
}
