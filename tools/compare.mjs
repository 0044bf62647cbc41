// Tells whether a commit made anything slower: the programs of two commits measure
// in turn on the same machine, and the ratio of each pair counts, so that what
// else goes on there does not: make compare BASE=REVISION PAIRS=10.
import { execFileSync, spawnSync } from 'node:child_process';
import { cpSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const base = process.argv[2] ?? 'HEAD~1';
const pairs = Number(process.argv[3] ?? 10);
const vendor = 'internal/web/ui/static/vendor';

const dir = mkdtempSync(join(tmpdir(), 'owl-compare-'));
process.on('exit', () => rmSync(dir, { recursive: true, force: true }));

// build makes the bench of a commit.
function build(name, revision) {
  const copy = join(dir, name);
  execFileSync('git', ['clone', '-q', '.', copy]);
  execFileSync('git', ['checkout', '-q', revision], { cwd: copy });
  cpSync(vendor, join(copy, vendor), { recursive: true });
  execFileSync('go', ['build', '-tags', 'gosnmp_nodebug', '-o', 'bench', './cmd/bench'], { cwd: copy, stdio: 'inherit' });
  return copy;
}

function measure(copy) {
  const { status, stderr } = spawnSync('./bench', ['-quick'], { cwd: copy, encoding: 'utf8' });
  if (status !== 0) throw new Error(`${copy}: ${stderr}`);
  const { figures } = JSON.parse(readFileSync(join(copy, 'bench.json')));
  return new Map(figures.map((f) => [f.name, f.value]));
}

const before = build('before', base),
  after = build('after', 'HEAD');
const ratios = new Map();
for (let i = 0; i < pairs; i++) {
  const turn = i % 2 === 0 ? [before, after] : [after, before];
  const got = new Map(turn.map((copy) => [copy, measure(copy)]));
  for (const [name, value] of got.get(after)) {
    const old = got.get(before).get(name);
    if (old > 0) ratios.set(name, [...(ratios.get(name) ?? []), value / old]);
  }
  console.log(`pair ${i + 1} of ${pairs}`);
}

function quantile(sorted, q) {
  return sorted[Math.floor(q * (sorted.length - 1))].toFixed(2);
}

const rows = [...ratios].map(([name, list]) => {
  const sorted = list.toSorted((a, b) => a - b);
  return { name, median: quantile(sorted, 0.5), 'a quarter': quantile(sorted, 0.25), 'three quarters': quantile(sorted, 0.75) };
});
console.log(`this commit to ${base}, ratios of ${pairs} pairs`);
console.table(rows);
