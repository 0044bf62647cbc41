import { test, expect } from '@playwright/test';
import { signIn, openDevice, watchConsole } from './helpers.mjs';

async function give(card, name, value) {
  await card.getByLabel('Name', { exact: true }).fill(name);
  await card.getByLabel('Value', { exact: true }).fill(value);
  await card.getByRole('button', { name: 'Add' }).click();
}

test('an attribute of a place holds below, is overridden, taken back, and finds devices', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/run/places');
  await page.getByRole('link', { name: 'Sandhaven', exact: true }).click();
  const card = page.locator('[data-attributes]');
  await give(card, 'a=b', 'x');
  await expect(card.getByRole('alert')).toContainText('without = # and commas');
  await give(card, 'shift', 'night');
  await expect(card.getByRole('listitem').filter({ hasText: 'shift' })).toContainText('here');
  await give(card, 'ferry stop', '');
  await expect(card.locator('.tags')).toContainText('ferry stop');

  await openDevice(page, 'sh-sw-1');
  await page.getByRole('link', { name: 'Set-up' }).click();
  const inherited = card.getByRole('listitem').filter({ hasText: 'shift' });
  await expect(inherited).toContainText('Sandhaven');
  await inherited.getByText('override here').click();
  await inherited.getByLabel('Value of shift').fill('day');
  await inherited.getByRole('button', { name: 'Save' }).click();
  await expect(inherited).toContainText('here');
  await page.goto('/devices?q=shift%3Dnight');
  await expect(page.getByRole('link', { name: 'sh-edge-1' })).toBeVisible();
  await expect(page.getByRole('link', { name: 'sh-sw-1' })).toHaveCount(0);
  await page.goto('/devices?q=%23ferry%20stop');
  await expect(page.getByRole('link', { name: 'sh-sw-1' })).toBeVisible();
  await openDevice(page, 'sh-sw-1');
  await page.getByRole('link', { name: 'Set-up' }).click();
  await inherited.getByText('change', { exact: true }).click();
  await inherited.getByRole('button', { name: 'Back to “night”' }).click();
  await expect(inherited).toContainText('Sandhaven');
  expect(problems).toEqual([]);
});

test('several devices get an attribute and move, and a table is tried before it is done', async ({ page }) => {
  await signIn(page);
  await page.goto('/devices?q=sh-');
  await page.getByLabel('Select sh-sw-1').check();
  await page.getByLabel('Select sh-edge-1').check();
  await expect(page.locator('.actionbar')).toContainText('2 chosen');
  await page.getByLabel('Attribute or tag').fill('rack');
  await page.getByLabel('Value', { exact: true }).fill('12');
  await page.getByRole('button', { name: 'Set' }).click();
  await expect(page.locator('#device-done')).toContainText('Done for 2 devices');
  await page.goto('/devices?q=rack%3D12');
  await expect(page.locator('#device-table tbody tr')).toHaveCount(2);
  await page.getByLabel('Select sh-sw-1').check();
  await page.getByLabel('Move to').selectOption({ label: 'Gull Rock' });
  await page.getByRole('button', { name: 'Move' }).click();
  await expect(page.getByRole('row', { name: /sh-sw-1/ })).toContainText('Gull Rock');
  await page.goto('/run/audit?kind=device');
  await page.locator('tr[data-row]').filter({ hasText: 'Sandhaven → Gull Rock' }).getByRole('button', { name: 'all' }).click();
  await page.getByRole('button', { name: 'Undo …' }).click();
  await page.getByRole('button', { name: 'Undo it' }).click();
  await expect(page.getByRole('dialog')).toContainText('Done.');

  await page.goto('/run/attributes');
  const table = page.getByLabel('Table (CSV)');
  await table.fill('device,attribute,value\nsh-sw-1,rack,13\nno-such,rack,1\n');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('Nothing is done: 1 row of 2 is wrong.')).toBeVisible();
  await expect(table).toHaveValue(/no-such/);
  await table.fill('device,attribute,value\nsh-sw-1,rack,13\nsh-edge-1,rack,-\n');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('It would set 1, take 1 away')).toBeVisible();
  await page.getByRole('button', { name: 'Do it' }).click();
  await expect(page.getByText('Done: 1 set, 1 taken away.')).toBeVisible();
});
