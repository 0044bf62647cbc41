// What a device tells of itself is looked at, and picked to be collected.
import { test, expect } from '@playwright/test';
import { openDevice, signIn, watchConsole } from './helpers.mjs';

test('a column of a table becomes readings of its rows, and a further one follows', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await openDevice(page, 'gr-sw-1');
  await page.getByRole('link', { name: 'Browse' }).click();
  await page.getByRole('searchbox', { name: 'Search objects' }).fill('ifinerrors');
  await page.getByRole('link', { name: 'ifInErrors' }).click();
  await expect(page.getByRole('heading', { level: 2, name: 'ifInErrors' })).toBeVisible();

  // The parts of the tree around it, by keyboard.
  await page.getByRole('navigation', { name: 'Objects' }).getByRole('link', { name: 'ifEntry' }).press('Enter');
  await page.getByRole('button', { name: 'Ask the device' }).click();
  await expect(page.locator('#walk')).toContainText('That is all', { timeout: 30_000 });
  await expect(
    page
      .locator('#walk')
      .getByRole('row', { name: /ifOperStatus/ })
      .first(),
  ).toContainText('up');
  await page
    .locator('#walk')
    .getByRole('row', { name: /ifInErrors/ })
    .first()
    .getByRole('link', { name: 'Collect' })
    .click();

  const shown = page.locator('#rehearsed');
  await expect(shown).toContainText('0 left out', { timeout: 20_000 });
  await page.getByLabel('Only rows for which').fill('ifTypo != 24');
  await page.getByRole('button', { name: 'Collect it' }).click();
  await expect(page.getByText('Character 1: there is no column “ifTypo”').first()).toBeVisible();
  await page.getByLabel('Only rows for which').fill('ifType != 24');
  await page.getByRole('button', { name: 'Take step 1 away' }).click();
  await expect(page.getByText('Stored is what the device says.')).toBeVisible();
  await expect(shown).toContainText('it only grows', { timeout: 20_000 });
  await expect(shown.getByRole('row', { name: /lo0/ })).toContainText('no');
  await page.getByRole('button', { name: 'Make it a rate' }).click();
  await expect(page.getByText('Growth a second of a counter').first()).toBeVisible();

  // Errors an hour, by a formula and a factor that change places.
  await page.getByLabel('Add a step').selectOption('compute');
  await expect(page.getByLabel(/of step 2/)).toBeFocused();
  await page.getByLabel(/of step 2/).fill('value * (60 +');
  await page.getByLabel(/of step 2/).press('Tab');
  await expect(page.locator('#step-1')).toContainText('mismatched input the end', { timeout: 20_000 });
  await page.getByLabel(/of step 2/).fill('value * 60');
  await page.getByLabel('Add a step').selectOption('scale');
  await page.getByLabel(/of step 3/).fill('60');
  await page.getByRole('button', { name: 'Move step 3 up' }).press('Enter');
  await expect(page.getByLabel(/of step 2/)).toHaveValue('60');
  await expect(page.getByLabel(/of step 3/)).toHaveValue('value * 60');
  await expect(page.getByRole('button', { name: 'Move step 2 up' })).toBeFocused();
  await expect(page.locator('#step-2')).not.toBeEmpty({ timeout: 20_000 });
  await expect(page.locator('#step-row')).toContainText('newest value of port1');
  await page.getByRole('button', { name: 'Show what each step makes of port2', exact: true }).click();
  await expect(page.locator('#step-row')).toContainText('newest value of port2');
  await page.getByRole('button', { name: 'Take step 3 away' }).click();
  await page.getByLabel('Unit').fill('1/min');
  await page.getByLabel('Name', { exact: true }).fill('Broken in');
  await page.getByLabel('How often').fill('10s');
  await page.getByLabel('Store what does not change').fill('15m');
  await page.getByRole('button', { name: 'Collect it' }).click();
  await expect(page.getByRole('row', { name: /Broken in/ })).toContainText('rate, scale 60, 1/min');

  // A second column of the same table: its rows are picked already.
  await page.goto(page.url().replace(/at=.*/, 'at=1.3.6.1.2.1.2.2.1.20'));
  await page.getByRole('link', { name: 'Collect this' }).click();
  await expect(page.getByLabel('Only rows for which')).toHaveValue('ifType != 24');
  await page.getByRole('button', { name: 'Collect it' }).click();
  await expect(page.getByRole('row', { name: /Out errors/ })).toBeVisible();

  await openDevice(page, 'gr-sw-1');
  const rows = page.locator('.card').filter({ has: page.getByRole('heading', { name: /^ifTable/ }) });
  await expect(rows).toContainText('port1', { timeout: 60_000 });
  await expect(rows.getByRole('row', { name: /port1 / }).first()).toContainText('/min', { timeout: 60_000 });
  await expect(rows).not.toContainText('lo0');

  // A rule on each of the rows: tried on the past, made, seen at work, and in the way of a drop.
  await page.getByRole('link', { name: 'Browse' }).click();
  await page
    .getByRole('row', { name: /Broken in/ })
    .getByRole('link', { name: 'New rule' })
    .click();
  await expect(page.getByText('For: gr-sw-1', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Make' }).click();
  await expect(page.getByText('Set a limit for at least one level.')).toBeVisible();
  await page.getByLabel('Trouble is').selectOption('below');
  await page
    .getByRole('row', { name: /notice/ })
    .getByLabel('Begins beyond')
    .fill('1000000');
  await page.getByLabel('Name', { exact: true }).fill('Few broken packets');
  await page.getByRole('button', { name: 'Rehearse' }).click();
  await expect(page.locator('#rehearsal')).toContainText('series tried');
  await page.getByRole('button', { name: 'Make' }).click();
  await expect(page.getByText('Saved, and in force.')).toBeVisible();
  await page.goto('/judge?q=few+broken');
  await expect(page.locator('#rule-table')).toContainText('gr-sw-1');
  await openDevice(page, 'gr-sw-1');
  await rows.locator('a[href^="/series/"]').first().click();
  await expect(page.getByText('Rules that judge it')).toBeVisible();

  // Others have this device, too: take it back.
  await openDevice(page, 'gr-sw-1');
  await page.getByRole('link', { name: 'Browse' }).click();
  page.once('dialog', (d) => d.accept());
  await page.getByRole('row', { name: 'Broken in' }).getByRole('link', { name: 'Change' }).click();
  await page.getByRole('button', { name: 'Drop this reading' }).click();
  await expect(page.getByText('The rule “Few broken packets” judges it.')).toBeVisible();
  await page.goto('/judge?q=few+broken');
  page.once('dialog', (d) => d.accept());
  await page.getByRole('link', { name: 'Few broken packets' }).click();
  await page.getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Rules' })).toBeVisible();
  await openDevice(page, 'gr-sw-1');
  await page.getByRole('link', { name: 'Browse' }).click();
  for (const name of ['Broken in', 'Out errors']) {
    page.once('dialog', (d) => d.accept());
    await page.getByRole('row', { name }).getByRole('link', { name: 'Change' }).click();
    await page.getByRole('button', { name: 'Drop this reading' }).click();
    await expect(page.getByRole('row', { name })).toHaveCount(0);
  }
  expect(problems).toEqual([]);
});

test('MIB modules are loaded one after the other, and what is wrong is told', async ({ page }) => {
  const problems = watchConsole(page);
  const file = (name, text) => ({ name, mimeType: 'text/plain', buffer: Buffer.from(text) });
  const lamp = `LAMP-MIB DEFINITIONS ::= BEGIN
IMPORTS enterprises FROM SNMPv2-SMI LampColour FROM COLOUR-TC;
lamp OBJECT IDENTIFIER ::= { enterprises 99999 }
lampColour OBJECT-TYPE SYNTAX LampColour MAX-ACCESS read-only STATUS current DESCRIPTION "Colour of a lamp." ::= { lamp 1 }
END`;
  const colour = 'COLOUR-TC DEFINITIONS ::= BEGIN\nLampColour ::= INTEGER { red(1), green(2) }\nEND';
  await signIn(page);
  await page.goto('/collect/modules');
  await page.getByRole('button', { name: 'Load them' }).click();
  await expect(page.getByText('Choose one file or more.')).toBeVisible();
  await page.getByLabel('Choose files').setInputFiles([file('lamp.mib', lamp), file('broken.mib', 'A DEFINITIONS ::= BEGIN\nx END')]);
  await page.getByRole('button', { name: 'Load them' }).click();
  await expect(page.getByText('broken.mib, line 2: A: unexpected')).toBeVisible();
  await expect(page.getByRole('row', { name: /LAMP-MIB/ })).toContainText('COLOUR-TC');
  await page.getByLabel('Choose files').setInputFiles([file('colour.mib', colour)]);
  await page.getByRole('button', { name: 'Load them' }).click();
  await expect(page.getByText('1 file read, nothing is wrong.')).toBeVisible();
  await expect(page.getByRole('row', { name: /LAMP-MIB/ })).not.toContainText('COLOUR-TC');

  await openDevice(page, 'gr-sw-1');
  await page.getByRole('link', { name: 'Browse' }).click();
  await page.getByRole('searchbox', { name: 'Search objects' }).fill('colour of a lamp');
  await page.getByRole('link', { name: 'lampColour' }).click();
  await expect(page.locator('#object')).toContainText('1 red');

  for (const name of ['LAMP-MIB', 'COLOUR-TC']) {
    await page.goto('/collect/modules');
    page.once('dialog', (d) => d.accept());
    await page.getByRole('row', { name }).getByRole('button', { name: 'Remove' }).click();
    await expect(page.getByRole('row', { name })).toHaveCount(0);
  }
  expect(problems).toEqual([]);
});

test('rules say what devices are, and tell before what they would change', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/find/recognition');
  const rules = page.getByLabel('Rules of your own');
  const before = await rules.inputValue();
  expect(before).toContain('Brackwater Networks');
  await expect(page.locator('#recognised')).toContainText(/No sweep has heard|all would be recognised/);
  await rules.fill('rules:\n  - {when: "colour == 1", kind: lamp}');
  await expect(page.locator('#recognised')).toContainText('Line 2: when: character 1: there is no column “colour”');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.locator('#recognition').getByRole('alert')).toContainText('Line 2');
  await rules.fill(before + '  - {when: \'name == "lamp"\', kind: lamp}\n');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Saved. The next run of each sweep goes by it.')).toBeVisible();
  await rules.fill(before);
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Saved. The next run of each sweep goes by it.')).toBeVisible();

  const file = page.getByLabel('The public list of private enterprise numbers, as text');
  await file.setInputFiles({ name: 'numbers.txt', mimeType: 'text/plain', buffer: Buffer.from('no list') });
  await page.getByRole('button', { name: 'Load it' }).click();
  await expect(page.getByText('Line 1: there is no enterprise number')).toBeVisible();
  await file.setInputFiles({ name: 'numbers.txt', mimeType: 'text/plain', buffer: Buffer.from('99999\n  Lantern Works\n    Keeper\n') });
  await page.getByRole('button', { name: 'Load it' }).click();
  await expect(page.getByText('1 maker loaded.')).toBeVisible();
  page.once('dialog', (d) => d.accept());
  await page.getByRole('button', { name: 'Take it away' }).click();
  await expect(page.getByText('None is loaded')).toBeVisible();
  expect(problems).toEqual([]);
});
