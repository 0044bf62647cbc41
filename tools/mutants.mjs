// Changes lines on purpose and tells which changes no test noticed: make mutants.
// Which changes there are is found by a tool; here each is made in a copy, and only the
// tests that come to its line are run: of packages that need a database a change takes
// seconds instead of a minute. Of the core every change is tried, of the others those in
// some files that a seed picks.
import { execFileSync, spawn } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';

const tool = 'github.com/go-gremlins/gremlins/cmd/gremlins@v0.6.0';
const enough = 200; // changes of an area that is tried in part
const seed = Number(process.env.SEED ?? 8);
const workers = Number(process.env.WORKERS ?? 2);
const known = knownFrom(process.env.KNOWN); // what a run that was broken off has told, in a file
const tags = ['-tags', 'gosnmp_nodebug'];
const areas = [
  { path: 'internal/core', whole: true, efficacy: 90, covered: 85 },
  { path: 'internal/engine', efficacy: 80 },
  { path: 'internal/service', efficacy: 80 },
  { path: 'internal/store', efficacy: 80 },
];

// What each change puts in the place of an operator.
const instead = {
  ARITHMETIC_BASE: { '+': '-', '-': '+', '*': '/', '/': '*', '%': '*' },
  CONDITIONALS_BOUNDARY: { '<': '<=', '<=': '<', '>': '>=', '>=': '>' },
  CONDITIONALS_NEGATION: { '==': '!=', '!=': '==', '<': '>=', '<=': '>', '>': '<=', '>=': '<' },
  INCREMENT_DECREMENT: { '++': '--', '--': '++' },
  INVERT_NEGATIVES: { '-': '+' },
};

const scratch = mkdtempSync(join(tmpdir(), 'owl-mutants-'));
process.on('exit', () => rmSync(scratch, { recursive: true, force: true }));
const copies = Array.from({ length: workers }, (_, n) => copyOf(join(scratch, `copy-${n}`)));

// A copy of what is committed. Its switches become chains of if, whose conditions the tool
// sees.
function copyOf(dir) {
  execFileSync('git', ['clone', '-q', '.', dir]);
  cpSync('internal/web/ui/static/vendor', join(dir, 'internal/web/ui/static/vendor'), { recursive: true });
  symlinkSync(join(process.cwd(), 'node_modules'), join(dir, 'node_modules'));
  execFileSync('go', ['run', './tools/unswitch', join(dir, 'internal')], { stdio: 'inherit' });
  return dir;
}

// found are the changes of a package, by file.
function found(pkg) {
  const result = join(scratch, 'found.json');
  rmSync(result, { force: true }); // where nothing is to be told the tool writes none
  const args = ['run', tool, 'unleash', `./${pkg}`, '--dry-run', '--tags', 'gosnmp_nodebug', '-E', '/', '-S', 'l', '-o', result];
  execFileSync('go', args, { cwd: copies[0], stdio: 'ignore' });
  const files = existsSync(result) ? (JSON.parse(readFileSync(result)).files ?? []) : [];
  return files.map((f) => ({ file: join(pkg, f.file_name.split('/').pop()), pkg, changes: f.mutations }));
}

// knownFrom reads the states that an earlier run wrote; a change that timed out is tried again.
function knownFrom(file) {
  const lines = file ? readFileSync(file, 'utf8').split('\n') : [];
  const parts = lines.map((l) => l.match(/^(killed|lived|not covered|does not compile): (.+)$/)).filter(Boolean);
  return new Map(parts.map(([, state, change]) => [change, state]));
}

function packagesOf(path) {
  const format = '{{if .TestGoFiles}}{{.ImportPath}}{{else if .XTestGoFiles}}{{.ImportPath}}{{end}}';
  const out = execFileSync('go', ['list', '-f', format, `./${path}/...`], { cwd: copies[0], encoding: 'utf8' });
  return out
    .split('\n')
    .filter(Boolean)
    .map((p) => p.replace(/^[^/]+\//, ''));
}

// picked are the files that are tried: they come in an order that follows from the seed
// alone, until they hold enough changes.
function picked(area, files) {
  if (area.whole) return files;
  let count = 0;
  return files
    .map((f) => [rank(f.file), f])
    .sort((a, b) => a[0] - b[0])
    .map((x) => x[1])
    .filter((f) => {
      const more = count < enough;
      if (more) count += f.changes.length;
      return more;
    });
}

function rank(name) {
  let h = seed;
  for (const c of name) h = (Math.imul(h, 16777619) ^ c.codePointAt(0)) >>> 0;
  return h;
}

// run resolves to how a program ended, and what it wrote.
function run(program, args, cwd) {
  return new Promise((done) => {
    const child = spawn(program, args, { cwd, stdio: ['ignore', 'pipe', 'pipe'] });
    let text = '';
    for (const out of [child.stdout, child.stderr]) out.on('data', (d) => (text = (text + d).slice(-20_000)));
    child.on('close', (code) => done({ code, text }));
  });
}

// inTurn lets every worker take the next of all until none is left.
async function inTurn(all, each) {
  const left = [...all];
  const work = async (copy) => {
    for (let x = left.shift(); x !== undefined; x = left.shift()) await each(x, copy);
  };
  await Promise.all(copies.map(work));
}

// reach tells of every test of a package to which lines it comes, and how long it takes.
async function reach(pkg) {
  const binary = join(scratch, 'covered.test');
  execFileSync('go', ['test', '-c', '-cover', '-covermode=set', ...tags, '-o', binary, `./${pkg}`], { cwd: copies[0] });
  const quiet = { cwd: join(copies[0], pkg), encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] };
  const listed = execFileSync(binary, ['-test.list', '^Test'], quiet);
  const tests = [];
  await inTurn(
    listed.split('\n').filter((x) => x.startsWith('Test')),
    async (name, copy) => {
      const profile = join(scratch, `${name}.cover`);
      const start = Date.now();
      const ended = await run(binary, [`-test.run=^${name}$`, `-test.coverprofile=${profile}`], join(copy, pkg));
      if (ended.code !== 0) throw new Error(`${name} fails as it is: ${ended.text}`);
      tests.push({ name, took: Date.now() - start, blocks: blocksOf(readFileSync(profile, 'utf8')) });
      rmSync(profile);
    },
  );
  return tests;
}

// blocksOf are the spans of files that a profile says were reached.
function blocksOf(profile) {
  const out = [];
  for (const line of profile.split('\n')) {
    const m = line.match(/\/([^/]+):(\d+)\.(\d+),(\d+)\.(\d+) \d+ (\d+)$/);
    if (m && m[6] !== '0') out.push({ file: m[1], from: [+m[2], +m[3]], to: [+m[4], +m[5]] });
  }
  return out;
}

function reaches(test, file, { line, column }) {
  const after = (a, b) => a[0] > b[0] || (a[0] === b[0] && a[1] >= b[1]);
  return test.blocks.some((b) => b.file === file && after([line, column], b.from) && after(b.to, [line, column]));
}

// changed is a file with one change; null where there is no such operator.
function changed(text, { line, column, type }) {
  const lines = text.split('\n');
  const rest = lines[line - 1].slice(column - 1);
  const operators = Object.keys(instead[type] ?? {}).sort((a, b) => b.length - a.length);
  const operator = operators.find((o) => rest.startsWith(o));
  if (!operator) return null;
  lines[line - 1] = lines[line - 1].slice(0, column - 1) + instead[type][operator] + rest.slice(operator.length);
  return lines.join('\n');
}

// tried makes one change and tells what the tests say of it.
async function tried(pkg, file, change, tests, copy) {
  const path = join(copy, file);
  const text = readFileSync(path, 'utf8');
  const other = changed(text, change);
  if (other === null) return 'no such operator';
  const binary = join(copy, 'changed.test');
  const limit = Math.ceil(60 + tests.reduce((sum, t) => sum + t.took, 0) / 250); // seconds: four times as long, and a minute
  try {
    writeFileSync(path, other);
    const built = await run('go', ['test', '-c', ...tags, '-o', binary, `./${pkg}`], copy);
    if (built.code !== 0) return 'does not compile';
    const names = `^(${tests.map((t) => t.name).join('|')})$`;
    const args = [`-test.run=${names}`, '-test.failfast', '-test.count=1', `-test.timeout=${limit}s`];
    const ended = await run(binary, args, join(copy, pkg));
    if (ended.code === 0) return 'lived';
    return ended.text.includes('panic: test timed out') ? 'timed out' : 'killed';
  } finally {
    writeFileSync(path, text);
  }
}

async function measured(area) {
  const files = picked(area, packagesOf(area.path).flatMap(found));
  const results = [];
  for (const pkg of new Set(files.map((f) => f.pkg))) {
    const tests = await reach(pkg);
    const all = files.filter((f) => f.pkg === pkg).flatMap((f) => f.changes.map((change) => ({ file: f.file, change })));
    await inTurn(all, async ({ file, change }, copy) => {
      const near = tests.filter((t) => reaches(t, file.split('/').pop(), change));
      const name = `${file}:${change.line}:${change.column} ${change.type}`;
      const state = known.get(name) ?? (near.length === 0 ? 'not covered' : await tried(pkg, file, change, near, copy));
      results.push({ file, line: change.line, column: change.column, type: change.type, state });
      console.log(`${state}: ${name}`);
    });
  }
  return results;
}

const rows = [];
const told = {};
const wanted = process.argv.slice(2);
const chosen = wanted.length === 0 ? areas : wanted.map((path) => areas.find((a) => a.path === path) ?? { path, whole: true });
for (const area of chosen) {
  const all = await measured(area);
  told[area.path] = all;
  const of = (state) => all.filter((m) => m.state === state).length;
  const [killed, lived, late, blind] = ['killed', 'lived', 'timed out', 'not covered'].map(of);
  rows.push({
    area: area.path,
    tried: killed + lived + late,
    killed,
    lived,
    'timed out': late,
    'not covered': blind,
    'efficacy %': percent(killed + late, killed + lived + late),
    'goal %': area.efficacy ?? '',
    'covered %': percent(killed + lived + late, killed + lived + late + blind),
  });
}
console.table(rows);
writeFileSync('mutants.json', JSON.stringify({ rows, told }, null, 2) + '\n');

function percent(part, all) {
  return all === 0 ? 0 : Math.round((1000 * part) / all) / 10;
}
