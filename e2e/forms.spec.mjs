// Forms, lists and explanations that the walks do not pass by.
import { test, expect } from '@playwright/test';
import { base, openDevice, signIn, watchConsole } from './helpers.mjs';

test('a form sent before the scripts stand is not lost', async ({ page }) => {
  await signIn(page);
  let open;
  const gate = new Promise((resolve) => {
    open = resolve;
  });
  await page.route('**/htmx.min.js', async (route) => {
    await gate;
    await route.continue();
  });
  await page.goto('/find/new', { waitUntil: 'commit' });
  await page.getByLabel('Name').fill('too early');
  await page.getByLabel('Addresses to try').fill('192.0.2.9-192.0.2.1');
  await page.getByRole('checkbox', { name: 'Kittiwake read' }).check();
  await page.getByRole('button', { name: 'Start the sweep' }).click();
  await expect(page).toHaveURL(/\/find\/new$/);
  open();
  await expect(page.getByRole('alert').filter({ hasText: 'ends before it begins' })).toBeVisible();
  await expect(page.getByLabel('Name')).toHaveValue('too early');
  expect(page.url()).not.toContain('?');
});

test('finds are filtered and sorted', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/find/new');
  await page.getByLabel('Name').fill('a quay to sort');
  await page.getByLabel('Addresses to try').fill(`${base}.30.0/25`);
  await page.getByRole('checkbox', { name: 'Kittiwake read' }).check();
  await page.getByRole('button', { name: 'Start the sweep' }).click();
  await expect(page.locator('#progress')).toHaveAttribute('data-state', 'done', { timeout: 60_000 });
  const names = page.locator('#finds tbody td.name');
  await expect(names).toHaveCount(9);
  await page.getByRole('link', { name: 'Find', exact: true }).last().click();
  await expect(page.locator('th[aria-sort="ascending"]')).toHaveText('Find');
  const up = await names.allTextContents();
  expect(up).toEqual([...up].sort((a, b) => (a.toLowerCase() < b.toLowerCase() ? -1 : 1)));
  await page.locator('th[aria-sort] a').click();
  await expect(page.locator('th[aria-sort="descending"]')).toHaveText('Find');
  expect(await names.allTextContents()).toEqual(up.reverse());
  await page.getByLabel('Filter finds').fill('edge');
  await expect(names).toHaveCount(1);
  await expect(page).toHaveURL(/q=edge/);
  page.once('dialog', (d) => {
    expect(d.message()).toContain('a quay to sort with its 9 finds');
    d.accept();
  });
  await page.getByRole('button', { name: 'Remove' }).click();
  await expect(page).toHaveURL(/\/find$/);
  expect(problems).toEqual([]);
});

test('a value tells where it comes from', async ({ page }) => {
  await signIn(page);
  await openDevice(page, 'hq-core-1');
  await page.locator('#live .why').first().click();
  const drawer = page.getByRole('dialog');
  await expect(drawer).toContainText('come from?');
  await expect(drawer).toContainText('A probe of');
  await page.keyboard.press('Escape');
  await expect(drawer).toHaveCount(0);
});

test('limits are rehearsed, refused and saved', async ({ page }) => {
  await signIn(page);
  await page.goto('/judge');
  await page.getByRole('link', { name: 'Processor is busy' }).or(page.locator('main a.go').first()).first().click();
  await expect(page.getByRole('button', { name: 'Rehearse' })).toBeVisible();
  const limit = page.getByLabel('warning: Begins beyond');
  const old = await limit.inputValue();
  await limit.fill('a lot');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'Must be a number' }).first()).toBeVisible();
  await expect(limit).toHaveValue('a lot');
  await limit.fill(old);
  await page.getByRole('button', { name: 'Rehearse' }).click();
  await expect(page.getByRole('heading', { name: 'On the recorded past' })).toBeVisible({ timeout: 30_000 });
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Saved, and in force.')).toBeVisible();
});

test('whoever may only look gets no forms', async ({ page }) => {
  await signIn(page, 'auditor');
  await page.goto('/judge/rules/1');
  await expect(page.getByLabel('Name', { exact: true })).toBeDisabled();
  await expect(page.getByRole('button', { name: 'Save' })).toHaveCount(0);
  await page.goto('/run/drill');
  await expect(page.getByText('needs the level of access')).toBeVisible();
  await expect(page.getByRole('button', { name: /stop|cut|fill|spoil/i })).toHaveCount(0);
});

test('a large screen shows the estate whole', async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 1920, height: 1080 } });
  const page = await context.newPage();
  await signIn(page);
  for (const path of ['/', '/devices', '/incidents?state=all', '/collect/values', '/judge/rules/1']) {
    await page.goto(path);
    const { spill, width } = await page.evaluate(() => ({
      spill: document.documentElement.scrollWidth - innerWidth,
      width: document.querySelector('main').getBoundingClientRect().width,
    }));
    expect(spill, path).toBeLessThanOrEqual(1);
    expect(width, path).toBeGreaterThan(1200);
  }
  await context.close();
});

test('storage is shown by kit, place and device, and samples are taken out', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/run/storage');
  await expect(page.locator('#usage')).toContainText('interfaces');
  await page.getByRole('link', { name: 'by device' }).click();
  await page.getByLabel('Filter by name').fill('hq-core');
  await expect(page.locator('#usage tbody tr')).toHaveCount(2);
  await page.locator('#usage tbody a').first().click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('hq-core');
  await page.locator('#live a.go').first().click();
  await page.waitForURL(/\/series\/\d+/);
  const download = page.waitForEvent('download');
  await page.getByRole('link', { name: 'openmetrics' }).click();
  const text = await (await (await download).createReadStream()).toArray();
  expect(Buffer.concat(text).toString()).toMatch(/# TYPE owl_\w+ gauge[\s\S]*# EOF\n$/);
  expect(problems).toEqual([]);
});

test('a device moves, and its credential goes along only where it may', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await openDevice(page, 'np-kiosk-2');
  await page.getByRole('link', { name: 'Set-up' }).click();
  const form = page.locator('form#where');
  const address = form.getByLabel('Address');
  const old = await address.inputValue();
  await form.getByLabel('Reached through').fill('nobody');
  await form.getByRole('button', { name: 'Save' }).click();
  await expect(form.getByRole('alert')).toContainText('no device of this name');
  await expect(form.getByLabel('Reached through')).toHaveValue('nobody');
  await form.getByLabel('Reached through').fill('');
  await address.fill('192.0.2.50');
  await form.getByRole('button', { name: 'Save' }).click();
  await expect(form.getByRole('alert')).toContainText('lies outside');
  await form.getByLabel('Secret of its credential, again').fill('a guess');
  await form.getByRole('button', { name: 'Save' }).click();
  await expect(form.getByRole('alert')).toContainText('not what is stored');
  await address.fill(old);
  await form.getByLabel('Name', { exact: true }).fill('np-kiosk-2b');
  await form.getByRole('button', { name: 'Save' }).click();
  await expect(form.getByRole('status')).toContainText('Its history stays with it.');
  await form.getByLabel('Name', { exact: true }).fill('np-kiosk-2');
  await form.getByRole('button', { name: 'Save' }).click();
  await expect(form.getByRole('status')).toBeVisible();
  page.once('dialog', (d) => {
    expect(d.message()).toContain('is kept');
    d.accept();
  });
  await page.getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByRole('heading', { name: 'Removed devices' })).toBeVisible();
  await page
    .getByRole('row', { name: /np-kiosk-2/ })
    .getByRole('button', { name: 'Watch again' })
    .click();
  await expect(page.getByRole('heading', { name: 'np-kiosk-2' })).toBeVisible();
  expect(problems).toEqual([]);
});
