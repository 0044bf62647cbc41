// Refuses lines that need scrolling: at most 140 columns, a tab counted as
// four. Migrations stay as they were first applied.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';

const most = 140;
const kinds = ['*.go', '*.html', '*.js', '*.mjs', '*.css', '*.sh', 'Makefile', '.ci/run'];

const files = execFileSync('git', ['ls-files', '--cached', '--others', '--exclude-standard', '--', ...kinds], { encoding: 'utf8' });
const wide = [];
for (const file of files.trim().split('\n')) {
  readFileSync(file, 'utf8')
    .split('\n')
    .forEach((line, i) => {
      const columns = [...line.replaceAll('\t', '    ')].length;
      if (columns > most) wide.push(`${file}:${i + 1}: ${columns} columns`);
    });
}
if (wide.length) {
  console.error(`Lines of more than ${most} columns:\n${wide.join('\n')}`);
  process.exit(1);
}
