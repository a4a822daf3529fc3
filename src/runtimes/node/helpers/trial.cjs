// Loads modules of packages, one after the other, and says what each of them loads.
//
// The standard input holds one JSON object: `modules`, the files. The answer is one JSON object a line on the standard
// output, written as soon as a module is done: its file, what was loaded meanwhile (as it was asked for, its file, the
// file that asked), the files that were read, and the native libraries that were mapped. What the modules themselves
// print goes nowhere.
'use strict';
const fs = require('fs');
const Module = require('module');
const childProcess = require('child_process');
const { pathToFileURL } = require('url');

const mostSeconds = 20; // for one module that waits for something
const { readFileSync, writeSync, existsSync } = fs;
const { setTimeout } = globalThis;
const exit = process.reallyExit.bind(process);
const task = JSON.parse(readFileSync(0, 'utf8'));

let loaded = [];
let opened = new Set();
const seen = new Set();

const load = Module._load;
Module._load = function (request, parent, isMain) {
  let file = '';
  try {
    file = Module._resolveFilename(request, parent, isMain);
  } catch {}
  const by = (parent && parent.filename) || '';
  if (file.startsWith('/') && by && !seen.has(by + '\n' + file)) {
    seen.add(by + '\n' + file);
    loaded.push([String(request), file, by]);
  }
  return load.apply(this, arguments);
};

function note(file) {
  if (file instanceof URL) file = file.protocol === 'file:' ? file.pathname : '';
  if (Buffer.isBuffer(file)) file = file.toString();
  if (typeof file === 'string' && file.startsWith('/') && existsSync(file)) opened.add(file);
}

// A write ends with an error here: all is read-only.
for (const [owner, names] of [
  [fs, ['readFileSync', 'readFile', 'openSync', 'open', 'createReadStream', 'readdirSync']],
  [fs.promises, ['readFile', 'open']],
  [childProcess, ['spawn', 'spawnSync', 'execFile', 'execFileSync', 'fork']],
])
  for (const name of names) {
    const original = owner[name];
    owner[name] = function (file) {
      if (name !== 'readdirSync') note(file);
      return original.apply(this, arguments);
    };
  }

function mappedLibraries() {
  const files = new Set();
  for (const line of readFileSync('/proc/self/maps', 'utf8').split('\n')) {
    const at = line.indexOf('/');
    if (at > 0 && /\.(so|node)\b/.test(line)) files.add(line.slice(at));
  }
  return files;
}

for (const name of ['exit', 'reallyExit', 'abort', 'kill'])
  process[name] = () => {
    throw new Error(`process.${name}() was called`);
  };
for (const stream of [process.stdout, process.stderr]) stream.write = () => true;
process.on('uncaughtException', () => {});
process.on('unhandledRejection', () => {});
process.argv.length = 1;

async function one(file) {
  try {
    require(file);
  } catch (error) {
    if (!error || error.code !== 'ERR_REQUIRE_ESM') throw error;
    const late = new Promise((done, failed) => setTimeout(() => failed(new Error('it waits')), mostSeconds * 1000));
    await Promise.race([import(pathToFileURL(file).href), late]);
  }
}

async function main() {
  let libraries = mappedLibraries();
  for (const module of task.modules) {
    loaded = [];
    opened = new Set();
    let error = '';
    try {
      await one(module);
    } catch (thrown) {
      error = String(thrown).slice(0, 300);
    }
    const files = new Set(loaded.map((record) => record[1]));
    const now = mappedLibraries();
    const answer = {
      module,
      error,
      loaded,
      opened: [...opened].filter((file) => !files.has(file)).sort(),
      libraries: [...now].filter((file) => !libraries.has(file) && !files.has(file)).sort(),
    };
    libraries = now;
    writeSync(1, '\n' + JSON.stringify(answer) + '\n');
  }
  exit(0); // what the modules have under way is not waited for
}

main();
