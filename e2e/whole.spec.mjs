// From credentials of two versions to values of rows that somebody picked at one device.
import { test, expect } from '@playwright/test';
import { base, openDevice, signIn, watchConsole } from './helpers.mjs';

test('a device is found with either credential, adopted into its site, and browsed', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/collect/credentials');
  await page.getByRole('link', { name: 'New credential' }).first().click();
  await page.getByRole('link', { name: 'SNMP v3 user' }).click();
  const user = {
    Name: 'Lantern watch',
    'User name': 'kittiwake-watch',
    'Bound to the addresses': `${base}.54.0/24`,
    'Password of authentication': 'lantern on the quay',
    'Password of privacy': 'rope around the pier',
  };
  for (const [label, value] of Object.entries(user)) await page.getByLabel(label, { exact: true }).fill(value);
  await page.getByRole('button', { name: 'Store the credential' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Lantern watch');

  // Somebody removed the switch: no rule adopts it again.
  await openDevice(page, 'skua-sw-1');
  await page.getByRole('link', { name: 'Set-up' }).click();
  page.once('dialog', (d) => d.accept());
  await page.getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByRole('heading', { name: 'Removed devices' })).toBeVisible();

  await page.goto('/find/new');
  await page.getByLabel('Name').fill('MV Skua with both');
  await page.getByLabel('Addresses to try').fill(`${base}.54.0/24`);
  for (const box of await page.getByRole('checkbox').all()) await box.uncheck();
  for (const c of ['Lantern watch', 'Kittiwake read']) await page.getByRole('checkbox', { name: c }).check();
  await page.getByRole('button', { name: 'Start the sweep' }).click();
  await expect(page.locator('#progress[data-state=done]')).toBeVisible({ timeout: 60_000 });
  const finds = page.locator('#finds tbody tr');
  await expect(finds).toHaveCount(5);
  await finds.filter({ hasText: 'skua-sat-1' }).getByRole('button', { name: 'why' }).click();
  await expect(page.locator('#drawer')).toContainText('one device with 2 addresses');
  await expect(page.locator('#drawer')).toContainText('It was recognised as Brackwater Networks, BR-SAT, router');
  await page.keyboard.press('Escape');

  const sweep = page.url();
  await page.getByRole('link', { name: 'Adopt without asking' }).click();
  await page.getByLabel('Adopt those for which').fill('kind = "switch"');
  await expect(page.locator('#decided')).toContainText('two things are compared by ==');
  await page.getByLabel('Adopt those for which').fill('kind == "switch"');
  await page.getByLabel('with the tags').fill('edge');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Choose a place.')).toBeVisible();
  await expect(page.getByLabel('Adopt those for which').first(), 'nothing typed is lost').toHaveValue('kind == "switch"');
  await page.getByLabel('into', { exact: true }).first().selectOption({ label: 'MV Skua' });
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Saved. It holds from the next end of this sweep on.')).toBeVisible();
  await expect(page.locator('#decided')).toContainText('somebody removed it before');

  await page.goto(sweep);
  const found = finds.filter({ hasText: 'skua-sw-1' });
  await found.getByRole('checkbox').check();
  await page.locator('#adopt').getByLabel('Adopt into').selectOption({ label: 'MV Skua' });
  await page.locator('#adopt').getByRole('button', { name: 'Adopt' }).click();
  await expect(page, 'it is taken to what it made').toHaveURL(/devices\/\d+/);

  // A column of a table becomes readings of its rows, with tags that the device tells.
  await openDevice(page, 'skua-sw-1');
  await page.getByRole('link', { name: 'Browse' }).click();
  await page.getByRole('searchbox', { name: 'Search objects' }).fill('ifinerrors');
  await page.getByRole('link', { name: 'ifInErrors' }).click();
  await page.getByRole('link', { name: 'Collect this' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Broken in');
  await page.getByLabel('Only rows for which').fill('ifType != 24');
  await page.getByLabel('Tags from columns').fill('ifName');
  await page.getByLabel('How often').fill('10s');
  await expect(page.locator('#rehearsed')).toContainText('kept', { timeout: 20_000 });
  await page.getByRole('button', { name: 'Collect it' }).click();
  await expect(page.getByRole('row', { name: /Broken in/ })).toContainText('rate');
  await openDevice(page, 'skua-sw-1');
  const rows = page.locator('.card').filter({ has: page.getByRole('heading', { name: /^if\w*Table/ }) });
  await expect(rows.getByRole('row', { name: /port1 / }).first()).toContainText('/s', { timeout: 60_000 });
  await rows.getByRole('link', { name: 'port1', exact: true }).click();
  await expect(page).toHaveURL(/part=\d+/);
  const part = new URL(page.url()).searchParams.get('part');
  const attributes = await page.request.get(`/parts/${part}/attributes`);
  expect(await attributes.text(), 'the device tells its tag').toContain('port1');
  expect(problems).toEqual([]);
});
