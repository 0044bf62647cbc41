// Keyboard, accessibility in both themes, phone width, safety.
import { test, expect } from '@playwright/test';
import { openDevice, signIn, watchConsole } from './helpers.mjs';

test('keys that come before the answer open what was typed', async ({ page }) => {
  await signIn(page);
  await page.route('**/search?*', async (route) => {
    await new Promise((done) => setTimeout(done, 400));
    await route.continue();
  });
  await page.keyboard.press('/');
  await page.keyboard.type('log-1');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { level: 1, name: 'log-1' })).toBeVisible();
});

test('the night shift needs no mouse', async ({ page }) => {
  await page.goto('/signin');
  await page.keyboard.type('ines');
  await page.keyboard.press('Tab');
  await page.keyboard.type('night-watch');
  await page.keyboard.press('Tab');
  await page.keyboard.press('Space'); // trusts the browser
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: /^(Kittiwake Line|The estate)$/ })).toBeVisible();
  await page.keyboard.press('?');
  await expect(page.getByRole('heading', { name: 'Keys' })).toBeVisible();
  await page.keyboard.press('Escape');
  await page.keyboard.press('/');
  await page.keyboard.type('log-1');
  await expect(page.locator('#results a').first()).toContainText('log-1');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { level: 1, name: 'log-1' })).toBeVisible();
  await page.keyboard.press('w');
  await expect(page.getByRole('dialog')).toContainText('Why');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog')).toHaveCount(0);
  await page.keyboard.press('g');
  await page.keyboard.press('r');
  await expect(page.getByRole('heading', { name: 'Incidents' })).toBeVisible();
  await expect(page.locator('#incident-table')).toContainText('/data of log-1');
  await page.keyboard.press('j');
  while (!(await page.evaluate(() => document.activeElement.textContent)).includes('log-1')) await page.keyboard.press('j');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { level: 1 })).toContainText('/data of log-1');
  await page.keyboard.press('a');
  await expect(page.locator('.story')).toContainText('Ines acknowledged');
});

test('a list shows the columns that one wants, and stays sorted while it is narrowed', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/devices?sort=-name');
  const place = page.locator('#device-table th', { hasText: 'Place' });
  await expect(place).toBeVisible();
  await page.getByText('columns', { exact: true }).click();
  await page.getByLabel('Place', { exact: true }).uncheck();
  await expect(place).toBeHidden();
  await page.getByLabel('Filter devices').fill('np-');
  await expect(page).toHaveURL(/sort=-name/);
  await expect(page.locator('#device-table tbody a.name').first()).toContainText('np-');
  await expect(place).toBeHidden();
  await page.reload();
  await expect(place).toBeHidden();
  await page.getByText('columns', { exact: true }).click();
  await page.getByLabel('Place', { exact: true }).check();
  await expect(place).toBeVisible();
  await page.goto('/run/places?q=pier');
  await expect(page.getByRole('link', { name: 'North Pier', exact: true })).toBeVisible();
  await expect(page.getByRole('link', { name: 'Sandhaven', exact: true })).toHaveCount(0);
  expect(problems).toEqual([]);
});

test('a phone can read and acknowledge', async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 390, height: 844 } });
  const page = await context.newPage();
  await signIn(page);
  for (const path of ['/', '/incidents?state=all', '/incidents/1', '/devices/18']) {
    await page.goto(path);
    const spill = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
    expect(spill, path).toBeLessThanOrEqual(1);
  }
  await page.goto('/incidents');
  await page.locator('#incident-table a.go').first().click();
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
  await context.close();
});

test('bad sweeps are refused at their fields and nothing typed is lost', async ({ page }) => {
  await signIn(page);
  await page.goto('/find/new');
  for (const [ranges, message] of [
    ['192.0.2.9-192.0.2.1', 'ends before it begins'],
    ['0.0.0.0/7', 'more than one sweep may try'],
    ['192.0.2.300', 'not an address'],
    ['2001:db8::/32', 'more than one sweep'],
  ]) {
    await page.getByLabel('Name').fill('Ünïcode ⚓ 船');
    await page.getByLabel('Addresses to try').fill(ranges);
    await page.getByLabel('SNMP port').fill('99999');
    await page.getByRole('button', { name: 'Start the sweep' }).click();
    await expect(page.getByRole('alert').filter({ hasText: message })).toBeVisible();
    await expect(page.getByRole('alert').filter({ hasText: '1 to 65535' })).toBeVisible();
    await expect(page.getByLabel('Name')).toHaveValue('Ünïcode ⚓ 船');
    await expect(page.getByLabel('Addresses to try')).toHaveValue(ranges);
  }
  await page.goto('/find');
  await expect(page.getByText('Ünïcode')).toHaveCount(0);
});

test('who may only look cannot act', async ({ page }) => {
  await signIn(page, 'auditor');
  await page.goto('/incidents/1');
  await expect(page.getByRole('button', { name: 'Comment', exact: true })).toHaveCount(0);
  const answer = await page.request.post('/incidents/1/acknowledge', { headers: { Origin: new URL(page.url()).origin } });
  expect(answer.status()).toBe(403);
  const foreign = await page.request.post('/incidents/1/acknowledge', {
    headers: { Origin: 'https://elsewhere.example', 'Sec-Fetch-Site': 'cross-site' },
  });
  expect(foreign.status()).toBe(403);
});

test('charts draw what makes no line', async ({ page }) => {
  await signIn(page);
  await openDevice(page, 'log-1');
  await expect(page.locator('[data-chart] canvas').first()).toBeVisible();
  // null breaks a line, undefined is a time at which only others have a value
  const dots = await page.evaluate(() => lonely([5, null, 6, undefined, 7, null, undefined, 8, null, 9, undefined]));
  expect(dots).toEqual([0, 7, 9]);
});
