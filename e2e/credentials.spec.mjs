// What devices are asked with, and where.
import { test, expect } from '@playwright/test';
import { base, settingOf, signIn, watchConsole } from './helpers.mjs';

async function store(page, values) {
  await page.goto('/collect/credentials');
  await page.getByRole('link', { name: 'New credential' }).first().click();
  await page.getByRole('link', { name: 'SNMP v3 user' }).click();
  for (const [label, value] of Object.entries(values)) await page.getByLabel(label, { exact: true }).fill(value);
  await page.getByRole('button', { name: 'Store the credential' }).click();
}

async function sweep(page, name, credentials) {
  await page.goto('/find/new');
  await page.getByLabel('Name').fill(name);
  await page.getByLabel('Addresses to try').fill(`${base}.54.0/28`);
  for (const box of await page.getByRole('checkbox').all()) await box.uncheck();
  for (const c of credentials) await page.getByRole('checkbox', { name: c }).check();
  await page.getByRole('button', { name: 'Start the sweep' }).click();
  await expect(page.locator('#progress[data-state=done]')).toBeVisible({ timeout: 60_000 });
}

test('a user of SNMP v3 is stored, refused where it is wrong, and found with', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  const user = { Name: 'Night watch', 'User name': 'kittiwake-watch', 'Bound to the addresses': `${base}.54.0/28` };
  await store(page, { ...user, 'Password of authentication': 'lantern', 'Password of privacy': 'rope around the pier' });
  await expect(page.getByText('Must have at least 8 characters.')).toBeVisible();
  await expect(page.getByLabel('User name'), 'nothing typed is lost').toHaveValue('kittiwake-watch');
  await page.getByLabel('Password of authentication').fill('lantern on the pier');
  await page.getByLabel('Password of privacy').fill('rope around the pier');
  await page.getByRole('button', { name: 'Store the credential' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Night watch');
  await expect(page.locator('body')).not.toContainText('lantern on');

  await sweep(page, 'Skua with a wrong password', ['Night watch']);
  await page.getByText('answered otherwise').click();
  await expect(page.locator('main')).toContainText('the password of authentication, or its kind, is another one');

  await page.goto('/collect/credentials');
  await page.getByRole('link', { name: 'Night watch' }).click();
  await page.getByLabel('Password of authentication').fill('lantern on the quay');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByLabel('Password of authentication'), 'it is stored, and not shown').toHaveValue('');
  await sweep(page, 'Skua by version 3', ['Night watch']);
  await expect(page.locator('#finds tbody tr').filter({ hasText: 'skua-sw-1' })).toHaveCount(1);

  await page.goto('/collect/credentials');
  await page.getByRole('link', { name: 'Night watch' }).click();
  await expect(page.getByText('used by 2 sweeps').first()).toBeVisible();
  await page.getByLabel('Bound to the addresses').fill(`${base}.0.0/16`);
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Type it again: it may be sent to other addresses then.')).toHaveCount(2);
  expect(problems).toEqual([]);
});

test('a place is bound to addresses, and nothing that is watched is left outside', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/run/places');
  await page.getByRole('link', { name: 'Kittiwake Line' }).first().click();
  const bounds = settingOf(page, 'Addresses that may be talked to');
  const typed = bounds.getByLabel('Addresses that may be talked to');
  await bounds.getByText('set here').click();
  await typed.fill('192.0.2.0/24');
  await expect(bounds).toContainText('It cannot be set as things are');
  await bounds.getByRole('button', { name: 'Save' }).click();
  await expect(bounds).toContainText('lies outside of what the place Kittiwake Line lets be talked to');
  await typed.fill(`${base}.0.0/16 but ${base}.99.0/24`);
  await expect(bounds).toContainText('would be held to it');
  await bounds.getByRole('button', { name: 'Save' }).click();
  await expect(bounds).toContainText('set here');

  await page.goto('/find/new');
  await page.getByLabel('Name').fill('Outside');
  await page.getByLabel('For').selectOption({ label: 'Kittiwake Line' });
  await page.getByLabel('Addresses to try').fill(`${base}.99.0/28`);
  await page.getByRole('button', { name: 'Start the sweep' }).click();
  await expect(page.getByText('lies outside of what the place Kittiwake Line lets be talked to').first()).toBeVisible();

  await page.goto('/run/places');
  await page.getByRole('link', { name: 'Kittiwake Line' }).first().click();
  await bounds.locator('summary').click();
  await bounds.getByRole('button', { name: 'Take away' }).click();
  await expect(bounds).toContainText('set nowhere');
  expect(problems).toEqual([]);
});
