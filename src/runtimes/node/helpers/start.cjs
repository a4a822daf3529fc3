// Loaded in front of the application. It takes back what was only for us, gives modules their compiled code,
// and puts back the variables of the user's environment that the launcher kept away from the runtime.
'use strict';
const path = require('path');
const fs = require('fs');
const Module = require('module');

const tree = path.dirname(path.dirname(__filename));
const settings = JSON.parse(fs.readFileSync(path.join(__dirname, 'start.json'), 'utf8'));

const kept = 'OMNISTASIS_KEPT_';
for (const name of Object.keys(process.env))
  if (name.startsWith(kept)) {
    process.env[name.slice(kept.length)] = process.env[name];
    delete process.env[name];
  }

// What starts this program again starts it as we were started.
const interpreter = path.join(tree, settings.interpreter);
process.execPath = interpreter;
process.argv[0] = interpreter;
if (settings.programs) {
  // Found where the user has none of that name.
  const programs = path.join(tree, settings.programs);
  const known = (process.env.PATH || '').split(path.delimiter).filter(Boolean);
  if (!known.includes(programs)) process.env.PATH = [...known, programs].join(path.delimiter);
}
const own = process.execArgv.indexOf(__filename);
if (own > 0) process.execArgv.splice(own - 1, 2);

// Compiled code. The engine makes it when a module is run for the first time on a machine; what it made is kept in
// one file and loaded from there later: a header with the places of the modules, then their code.
const { isMainThread } = require('worker_threads');

// In the tree itself, where that is the user's own copy; else one file for the application in the user's cache.
function keptFile() {
  const cache = process.env.XDG_CACHE_HOME || (process.env.HOME && path.join(process.env.HOME, '.cache'));
  const local = process.platform === 'win32' ? process.env.LOCALAPPDATA : cache;
  if (fs.existsSync(path.join(tree, '.complete'))) return path.join(tree, '.compiled');
  return local && path.isAbsolute(local) ? path.join(local, 'omnistasis', `${settings.name}.compiled`) : undefined;
}

// A file or folder that nobody but the user can write. (Windows keeps the folder for others out of it by its own rights.)
const noLink = (fs.constants.O_NOFOLLOW || 0) | (fs.constants.O_NONBLOCK || 0);
function isOwn(status) {
  const isOnesOwn = process.platform === 'win32' || (status.uid === process.geteuid() && (status.mode & 0o22) === 0);
  return isOnesOwn && (status.isFile() || status.isDirectory());
}

function keepCompiled(file) {
  const vm = require('vm');
  const identity = `${settings.id} ${process.version} ${process.arch} ${tree}`;
  const head = '(function (exports, require, module, __filename, __dirname) { ';
  const mostWrites = 6;
  let descriptor = -1;
  let known = { identity, writes: 0, modules: {} };
  let start = 0;
  try {
    descriptor = fs.openSync(file, fs.constants.O_RDONLY | noLink);
    if (!isOwn(fs.fstatSync(descriptor)) || !isOwn(fs.lstatSync(path.dirname(file)))) throw new Error('not the user\'s own');
    const size = Buffer.alloc(8);
    fs.readSync(descriptor, size, 0, 8, 0);
    const text = Buffer.alloc(Math.min(size.readUInt32LE(4), 1 << 26));
    if (size.toString('latin1', 0, 4) === 'OMNC' && fs.readSync(descriptor, text, 0, text.length, 8) === text.length) {
      const read = JSON.parse(text.toString());
      if (read.identity === identity) known = read;
      start = 8 + text.length;
    }
  } catch {
    // There is none yet.
  }
  const uncompiled = new Set(settings.uncompiled.map((place) => path.join(tree, place)));
  const fresh = new Map();
  let freshSize = 0;
  let fits = true;

  const codeOf = (place) => {
    const [offset, size] = known.modules[place];
    const bytes = Buffer.allocUnsafeSlow(size);
    return fs.readSync(descriptor, bytes, 0, size, start + offset) === size ? bytes : undefined;
  };
  const requireOf = (module) =>
    Object.assign((id) => module.require(id), {
      resolve: Object.assign((request, options) => Module._resolveFilename(request, module, false, options), {
        paths: (request) => Module._resolveLookupPaths(request, module),
      }),
      main: process.mainModule,
      extensions: Module._extensions,
      cache: Module._cache,
    });

  const compile = Module.prototype._compile;
  const plain = Module._extensions['.js'];
  const [before, wrap] = [Module.wrapper[0], Module.wrap];
  const home = tree + path.sep;
  const firstLine = /^#!.*/; // may name the interpreter
  Module.prototype._compile = function (content, filename, ...rest) {
    // Whoever changes sources or what is put around them while they are loaded means the changed ones.
    if (Module.wrapper[0] !== before || Module.wrap !== wrap) return compile.call(this, content, filename, ...rest);
    if (!fits || !filename.startsWith(home) || uncompiled.has(filename) || Module._extensions['.js'] !== plain)
      return compile.call(this, content, filename, ...rest);
    const place = filename.slice(home.length);
    const entry = Object.hasOwn(known.modules, place) ? known.modules[place] : undefined;
    let script;
    try {
      const cachedData = entry && entry[2] === content.length ? codeOf(place) : undefined;
      script = new vm.Script(head + content.replace(firstLine, '') + '\n})', {
        filename,
        cachedData,
        columnOffset: -head.length,
      });
      if (script.cachedDataRejected) {
        // For another build of the engine, or other flags: then none of it fits.
        known.modules = {};
        fits = false;
      }
      if (!cachedData || !fits) {
        fresh.set(place, [script, content.length]);
        freshSize += content.length;
      }
    } catch {
      return compile.call(this, content, filename, ...rest);
    }
    const run = script.runInThisContext({ displayErrors: true });
    const folder = path.dirname(filename);
    return Reflect.apply(run, this.exports, [this.exports, requireOf(this), this, filename, folder]);
  };

  const write = () => {
    if (freshSize < 16384 || known.writes >= mostWrites) return;
    const modules = {};
    const parts = [];
    let offset = 0;
    const add = (place, code, length) => {
      modules[place] = [offset, code.length, length];
      parts.push(code);
      offset += code.length;
    };
    try {
      for (const place of Object.keys(known.modules)) {
        const code = fresh.has(place) ? undefined : codeOf(place);
        if (code) add(place, code, known.modules[place][2]);
      }
      for (const [place, [script, length]] of fresh) add(place, script.createCachedData(), length);
      const text = Buffer.from(JSON.stringify({ identity, writes: known.writes + 1, modules }));
      const size = Buffer.from('OMNC0000', 'latin1');
      size.writeUInt32LE(text.length, 4);
      const made = `${file}.${process.pid}`;
      fs.writeFileSync(made, Buffer.concat([size, text, ...parts]), { mode: 0o600, flag: 'wx' });
      fs.renameSync(made, file);
    } catch {
      // A full or read-only disk: then it is compiled each time.
    }
  };
  process.prependListener('exit', write);
}

// When each module begins and ends to load, for `omnistasis profile`: lines of kind, name, process and nanoseconds.
function tellTimes(file) {
  const now = () => process.hrtime.bigint();
  const lines = [`runtime\t-\t${process.pid}\t${now()}\n`];
  const flush = () => {
    try {
      const descriptor = fs.openSync(file, fs.constants.O_WRONLY | fs.constants.O_APPEND | noLink);
      fs.writeSync(descriptor, lines.splice(0).join(''));
      fs.closeSync(descriptor);
    } catch {
      // Nobody reads it.
    }
  };
  const load = Module._load;
  const home = tree + path.sep;
  let depth = 0;
  Module._load = function (request, parent, isMain) {
    if (isMain) lines.push(`main\t-\t${process.pid}\t${now()}\n`);
    const begin = now();
    let name = request;
    try {
      name = Module._resolveFilename(request, parent, isMain);
    } catch {
      // It says so itself.
    }
    if (name.startsWith(home)) name = name.slice(home.length).replace(/^app\//, '');
    if (!isMain) ++depth;
    try {
      return load.call(this, request, parent, isMain);
    } finally {
      if (!isMain) lines.push(`import\t${name}\t${process.pid}\t${begin}\t${now()}\t${--depth}\n`);
    }
  };
  process.on('exit', () => {
    lines.push(`end\t-\t${process.pid}\t${now()}\n`);
    flush();
  });
}
if (process.env.OMNISTASIS_TIMES && isMainThread) tellTimes(process.env.OMNISTASIS_TIMES);

// Plug-ins and presets are looked for from the folder that a program runs in, where its project is; the project of
// a built one is in the tree.
function lookInTreeToo() {
  const lookUp = Module._resolveLookupPaths;
  const home = tree + path.sep;
  let own;
  Module._resolveLookupPaths = function (request, parent) {
    const paths = lookUp.call(this, request, parent);
    if (!paths || !parent || (parent.filename && parent.filename.startsWith(home))) return paths;
    if (/^(\.{1,2}([/\\]|$)|[/\\#]|[A-Za-z]:)/.test(request)) return paths; // a path, not a name
    own ??= Module._nodeModulePaths(path.join(tree, path.dirname(settings.entry)));
    return paths.concat(own.filter((folder) => folder.startsWith(home) && !paths.includes(folder)));
  };
}
lookInTreeToo();

// Nobody asked for this file: it is no module of the application's.
delete require.cache[__filename];

const file = keptFile();
const isChecked = process.env.OMNISTASIS_CHECK === 'full'; // what the engine made is in no index
if (file !== undefined && isMainThread && !isChecked && process.env.OMNISTASIS_COMPILED !== 'off') keepCompiled(file);
