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
  await expect(typed, 'the answer has come: what is typed now stays').toHaveAttribute('aria-invalid', 'true');
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

const door = `kit: door
title: Door of the quay
version: 1
parameters:
  - {name: token, label: Token, kind: secret, required: true}
sources:
  - {key: ask, way: tcp, every: 60s, ask: {port: "9", send: 'OPEN {token}'}}
readings:
  - {key: time, name: Time to open, unit: s, source: ask, value: [time]}
`;

test('a kit that needs a secret asks for it at fitting, and never shows it', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/collect/credentials/new');
  await page.getByRole('link', { name: 'Secret for kits' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Door of the quay');
  await page.getByLabel('Secret', { exact: true }).fill('lantern before dawn');
  await page.getByLabel('Bound to the addresses').fill(`${base}.20.0/24`);
  await page.getByRole('button', { name: 'Store the credential' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Door of the quay');

  await page.goto('/collect/kits/new');
  await page.getByRole('button', { name: 'As a file' }).click();
  await page.getByLabel('Kit file (YAML)').fill(door.replace('kind: secret', 'kind: secret, default: lantern'));
  await expect(page.locator('#kit-rehearsal')).toContainText('it is never in the kit');
  await page.getByLabel('Kit file (YAML)').fill(door);
  await expect(page.locator('#kit-rehearsal')).toContainText('A new kit');
  await page.getByRole('button', { name: 'Save, and put in force' }).click();
  await expect(page.getByRole('row', { name: /^Token/ })).toContainText('it must be set');

  // At the device it is asked for, told at its field, and chosen.
  await page.goto('/collect/kits/door/devices?q=np-kiosk-2');
  await page.getByRole('link', { name: 'np-kiosk-2' }).click();
  await page.waitForURL(/\/collected$/);
  const collected = page.url();
  await page.getByLabel('Kit', { exact: true }).selectOption({ label: 'Door of the quay' });
  const form = page.locator('#word-form');
  await expect(form).toContainText('When all that must be set is filled in');
  await form.getByRole('button', { name: 'Fit it' }).click();
  await expect(form.getByLabel('Token')).toHaveAttribute('aria-invalid', 'true');
  await expect(form).toContainText('Must be set');
  await form.getByLabel('Token').selectOption({ label: 'Door of the quay' });
  await expect(form).toContainText('1 device would be fitted otherwise');
  await form.getByRole('button', { name: 'Fit it' }).click();
  const fitted = page.locator('#kit-door');
  await expect(fitted).toContainText('fitted by Ines');
  await page.goto('/collect/credentials');
  await page.getByRole('link', { name: 'Door of the quay' }).click();
  await expect(page.getByText('used by 1 device').first()).toBeVisible();

  await page.goto(collected);
  page.on('dialog', (dialog) => dialog.accept());
  await fitted.getByRole('button', { name: 'Leave it to the rules' }).click();
  await expect(fitted).toHaveCount(0);
  await page.goto('/collect/kits/door');
  await page.getByRole('button', { name: 'Take the kit away' }).click();
  await page.waitForURL(/\/collect$/);
  expect(problems).toEqual([]);
});
