// A kit is read, changed with what that would do beside it, and taken back.
import { test, expect } from '@playwright/test';
import { signIn, watchConsole } from './helpers.mjs';

test('a kit gets a further version, whose effect is told before, and the one before is back', async ({ page, browser }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/collect');
  await page.getByRole('searchbox', { name: 'Filter kits' }).fill('disk');
  await expect(page.getByRole('row', { name: /Interfaces/ })).toHaveCount(0);
  await page.getByRole('link', { name: 'Disk traffic' }).click();
  await expect(page.getByText('It fits devices that show')).toContainText('a table of disk traffic');
  await expect(page.getByRole('row', { name: /Written/ }).first()).toContainText('B/s');

  await page.getByRole('link', { name: 'Change', exact: true }).click();
  const file = page.getByLabel('Kit file (YAML)');
  const told = page.locator('#kit-rehearsal');
  await expect(told).toContainText('Nothing: it is as the one in force.');
  const before = await file.inputValue();
  await file.fill(before.replace('way: snmp', 'way: pigeon'));
  await expect(told).toContainText('there is no way "pigeon" to collect');
  await page.getByRole('button', { name: 'Save, and put in force' }).click();
  await expect(page.locator('.fielderror, .bad').filter({ hasText: 'pigeon' }).first()).toBeVisible();
  await expect(file).toHaveValue(/way: pigeon/);
  await file.fill(
    before.replace('version: 1', 'version: 2').replace('name: Read\n', 'name: Read from it\n').replace('every: 60s', 'every: 30s'),
  );
  await expect(told).toContainText('in force at once on 3 devices');
  await expect(told).toContainText('every: 1m0s → 30s');
  await expect(told).toContainText('Requests a minute');

  // Somebody else is faster.
  const other = await browser.newPage();
  await signIn(other);
  await other.goto('/collect/kits/disk-io/edit');
  await other.getByLabel('Kit file (YAML)').fill(before.replace('title: Disk traffic', 'title: Traffic of disks'));
  await other.getByRole('button', { name: 'Save, and put in force' }).click();
  await expect(other.getByRole('heading', { level: 1, name: 'Traffic of disks' })).toBeVisible();
  await other.close();
  await page.getByRole('button', { name: 'Save, and put in force' }).click();
  await expect(page.getByText('Somebody else has changed the kit meanwhile')).toBeVisible();
  await expect(page.locator('#kit-rehearsal')).toContainText('title: Traffic of disks → Disk traffic');
  await page.getByRole('button', { name: 'Save, and put in force' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Disk traffic' })).toBeVisible();
  await expect(page.getByText('version 2, on 3 devices')).toBeVisible();
  await page.goto('/collect/values?kit=disk-io&reading=read');
  await expect(page.getByRole('row', { name: /Read from it/ }).first()).toBeVisible();

  // Back to what was shipped.
  await page.goto('/collect/kits/disk-io');
  await page
    .getByRole('row', { name: /shipped/ })
    .getByRole('link', { name: 'compare' })
    .click();
  await expect(page.getByText('This is an earlier version')).toBeVisible();
  await expect(page.locator('#kit-rehearsal')).toContainText('name: Read from it → Read');
  await page.getByRole('button', { name: 'Save, and put in force' }).click();
  await expect(page.getByText('version 1, on 3 devices')).toBeVisible();
  expect(problems).toEqual([]);
});
