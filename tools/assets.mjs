// Copies what the browser needs from the npm packages to where the
// application embeds it. Nothing is fetched at run time.
import { cpSync, mkdirSync, rmSync } from 'node:fs';

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
console.log(`${Object.keys(files).length} assets`);
