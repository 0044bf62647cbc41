// Changes lines on purpose and tells which changes no test noticed: make mutants.
// Of the core every change is tried; of what needs a database, which takes
// hours, those in some files that a seed picks.
import { execFileSync, spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, dirname, join } from 'node:path';

const tool = 'github.com/go-gremlins/gremlins/cmd/gremlins@v0.6.0';
const enough = 200; // changes of an area that is tried in part
const seed = Number(process.env.SEED ?? 8);
const areas = [
  { path: 'internal/core', whole: true, efficacy: 90, covered: 85 },
  { path: 'internal/engine', efficacy: 80 },
  { path: 'internal/service', efficacy: 80 },
  { path: 'internal/store', efficacy: 80 },
];

// A copy of what is committed: changes are made there. Its switches become chains
// of if, whose conditions the tool sees.
const copy = mkdtempSync(join(tmpdir(), 'owl-mutants-'));
process.on('exit', () => rmSync(copy, { recursive: true, force: true }));
execFileSync('git', ['clone', '-q', '.', copy]);
cpSync('internal/web/ui/static/vendor', join(copy, 'internal/web/ui/static/vendor'), { recursive: true });
execFileSync('go', ['run', './tools/unswitch', join(copy, 'internal')], { stdio: 'inherit' });

function unleash(path, ...more) {
  // Else the time that the tests take, which bounds that of each change, would be that of a cached result.
  execFileSync('go', ['clean', '-testcache']);
  const result = join(copy, 'mutants.json');
  rmSync(result, { force: true }); // where nothing is to be told the tool writes none
  const args = [
    'run',
    tool,
    'unleash',
    `./${path}`,
    '--tags',
    'gosnmp_nodebug',
    '--workers',
    process.env.WORKERS ?? '2',
    '-S',
    'l',
    '-o',
    result,
    ...more,
  ];
  const { status } = spawnSync('go', args, { cwd: copy, stdio: ['ignore', 'inherit', 'inherit'] });
  if (status !== 0) throw new Error(`${path}: the tool ended with ${status}`);
  return existsSync(result) ? JSON.parse(readFileSync(result)) : {};
}

// patience is how many times as long as usual the tests of a package may take:
// at least 20 s, since the first build after a change counts, too.
function patience(path) {
  const start = Date.now();
  execFileSync('go', ['test', '-count=1', '-cover', '-tags', 'gosnmp_nodebug', `./${path}`], { cwd: copy, stdio: 'ignore' });
  return String(Math.max(3, Math.ceil(20_000 / (Date.now() - start))));
}

function packagesOf(path) {
  const out = execFileSync(
    'go',
    ['list', '-f', '{{if .TestGoFiles}}{{.ImportPath}}{{else if .XTestGoFiles}}{{.ImportPath}}{{end}}', `./${path}/...`],
    { cwd: copy, encoding: 'utf8' },
  );
  return out
    .split('\n')
    .filter(Boolean)
    .map((p) => p.replace(/^[^/]+\//, ''));
}

// leftOut are the files that are not tried: files come in an order that follows from
// the seed alone, until they hold enough changes.
function leftOut(path) {
  const found = unleash(path, '--dry-run').files ?? [];
  const order = found
    .map((f) => [rank(f.file_name), f])
    .sort((a, b) => a[0] - b[0])
    .map((x) => x[1]);
  let count = 0;
  return order
    .filter((f) => {
      const out = count >= enough;
      if (!out) count += f.mutations.filter((m) => m.status === 'RUNNABLE').length;
      return out;
    })
    .map((f) => f.file_name);
}

function rank(name) {
  let h = seed;
  for (const c of name) h = (Math.imul(h, 16777619) ^ c.codePointAt(0)) >>> 0;
  return h;
}

const rows = [];
const wanted = process.argv.slice(2);
const chosen = wanted.length === 0 ? areas : wanted.map((path) => areas.find((a) => a.path === path) ?? { path, whole: true });
for (const area of chosen) {
  const out = area.whole ? [] : leftOut(area.path);
  // A package at a time, without those below it: how long a change may take
  // follows from its own tests.
  const files = packagesOf(area.path).flatMap((p) => {
    const mine = out.map((f) => `${area.path}/${f}`).filter((f) => dirname(f) === p);
    return (
      unleash(p, '--timeout-coefficient', patience(p), '-E', '/', ...mine.flatMap((f) => ['-E', `^${basename(f).replaceAll('.', '\\.')}$`]))
        .files ?? []
    );
  });
  const all = files.flatMap((f) => f.mutations.map((m) => ({ ...m, file: f.file_name })));
  const of = (...states) => all.filter((m) => states.includes(m.status)).length;
  const killed = of('KILLED'),
    lived = of('LIVED'),
    late = of('TIMED OUT'),
    blind = of('NOT COVERED');
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
writeFileSync('mutants.json', JSON.stringify(rows, null, 2) + '\n');

function percent(part, all) {
  return all === 0 ? 0 : Math.round((1000 * part) / all) / 10;
}
