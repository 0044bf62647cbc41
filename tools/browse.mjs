// A browser that looks at pages until it is interrupted: node tools/browse.mjs URL NAME PASSWORD
import { chromium } from 'playwright';

const [base, name, password] = process.argv.slice(2);
const args = '--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update';
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: [...args.split(' '), '--disable-sync'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const took = [];
let going = true;
process.on('SIGINT', () => (going = false));

await page.goto(`${base}/signin`);
await page.fill('[name=name]', name);
await page.fill('[name=password]', password);
await page.press('[name=password]', 'Enter');
await page.waitForURL((url) => url.pathname !== '/signin');
const paths = ['/', '/devices', '/incidents?state=all', '/collect/values', '/devices?sort=-since', '/judge'];
for (let i = 0; going; i++) {
  const start = Date.now();
  try {
    await page.goto(base + paths[i % paths.length], { timeout: 30_000 });
    took.push(Date.now() - start);
    await page.waitForTimeout(2000);
  } catch (problem) {
    if (going) console.log(`a browser: ${problem.message.split('\n')[0]}`);
  }
}
took.sort((a, b) => a - b);
const at = (share) => took[Math.min(took.length - 1, Math.floor(took.length * share))];
console.log(`a browser: ${took.length} pages until loaded, median ${at(0.5)} ms, 95 % ${at(0.95)} ms`);
await browser.close();
