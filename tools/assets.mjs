// Copies what the browser needs from the npm packages to where the
// application embeds it, and joins our own styles to one file. Nothing is
// fetched at run time.
import { cpSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';

const to = 'internal/web/ui/static/vendor';
rmSync(to, { recursive: true, force: true });
mkdirSync(to, { recursive: true });
const files = {
  'bootstrap/dist/css/bootstrap.min.css': 'bootstrap.min.css',
  'htmx.org/dist/htmx.min.js': 'htmx.min.js',
  '@alpinejs/csp/dist/cdn.min.js': 'alpine.min.js',
  'uplot/dist/uPlot.iife.min.js': 'uplot.min.js',
  'uplot/dist/uPlot.min.css': 'uplot.min.css',
};
for (const weight of [400, 600, 700]) {
  files[`@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-${weight}-normal.woff2`] = `text-${weight}.woff2`;
  files[`@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-ext-${weight}-normal.woff2`] =
    `text-ext-${weight}.woff2`;
}
files['@fontsource/jetbrains-mono/files/jetbrains-mono-latin-400-normal.woff2'] = 'mono-400.woff2';
for (const [from, name] of Object.entries(files)) cpSync(`node_modules/${from}`, `${to}/${name}`);

// Later files win over earlier ones: what is general comes first.
const order = [
  'base',
  'head',
  'signs',
  'frames',
  'tables',
  'forms',
  'drawer',
  'story',
  'charts',
  'signin',
  'dialog',
  'figures',
  'waiting',
  'screens',
  'places',
  'teams',
  'pairs',
  'objects',
];
const css = 'internal/web/ui/css';
const left = readdirSync(css).filter((name) => !order.includes(name.replace('.css', '')));
if (left.length) throw new Error(`not in the order of styles: ${left.join(', ')}`);
writeFileSync(`${to}/owl.css`, order.map((name) => readFileSync(`${css}/${name}.css`, 'utf8')).join('\n'));
console.log(`${Object.keys(files).length} assets`);
