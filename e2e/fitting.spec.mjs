// Kits are fitted by rules, kept off by hand, and what they read is switched off.
import { test, expect } from '@playwright/test';
import { signIn, watchConsole } from './helpers.mjs';

const kit = `kit: harbour-watch
title: Harbour watch
version: 1
about: What the harbour wants to know of its power.
sources:
  - key: power
    every: 30s
    way: snmp
    ask: {form: get}
    columns:
      - {as: charge, of: 1.3.6.1.2.1.33.1.2.4.0}
readings:
  - key: charge
    name: Charge at the quay
    unit: "%"
    source: power
    value: [charge]
    optional: true
`;

test('a rule is tried over the estate with reasons, fits its kit, and is left to people', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/collect/kits/new?open=file');
  await page.getByLabel('Kit file (YAML)').fill(kit);
  await page.getByRole('button', { name: 'Save, and put in force' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Harbour watch' })).toBeVisible();

  // A rule, while it is typed.
  await page.goto('/collect/fitting');
  await page.getByRole('link', { name: 'New rule' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Quays');
  const when = page.getByLabel('Devices for which');
  const trial = page.locator('#trial');
  await when.fill('"ups" in facts.mi');
  await expect(trial).toContainText('there is no “facts.mi”');
  await when.press('End');
  await when.press('Control+Space');
  await expect(when).toHaveValue('"ups" in facts.mibs');
  await expect(trial).toContainText('It holds for 4 of ');
  await page.getByLabel('Harbour watch', { exact: true }).selectOption({ label: 'fits it' });
  await expect(trial).toContainText('4 devices would gain harbour-watch');
  await expect(trial.getByRole('row', { name: /np-ups-1/ })).toContainText('facts.mibs is interfaces, ups');
  await page.getByLabel('Which answers').selectOption('no');
  await expect(trial.getByRole('row', { name: /np-ups-1/ })).toHaveCount(0);
  await page.getByLabel('Filter answers').fill('np-sw-1');
  await expect(trial.getByRole('row', { name: /np-sw-1/ })).toContainText('no');
  await when.fill('attributes.nobody == name');
  await page.getByLabel('Which answers').selectOption('undecided');
  await expect(trial).toContainText('no such key');
  await when.fill('"ups" in facts.mibs');
  await page.getByRole('button', { name: 'Save, and fit' }).click();
  await expect(page.getByRole('row', { name: /Quays/ })).toContainText('4');

  // The device says which rule, and collects at once.
  await page.goto('/collect/kits/harbour-watch/devices?which=fitted');
  await expect(page.getByRole('row', { name: /np-ups-1/ })).toContainText('the rule Quays');
  await page.getByRole('link', { name: 'np-ups-1' }).click();
  const card = page.locator('#kit-harbour-watch');
  await expect(card).toContainText('fitted by the rule “Quays”');
  await card.getByRole('button', { name: 'Collect now: harbour-watch/power' }).click();
  await expect(card).toContainText('answered');
  await card.getByText('why', { exact: true }).click();
  await expect(card).toContainText('The rule “Quays” fits it');
  await page.goto('/collect/values?kit=harbour-watch&q=np-ups-1');
  await expect(page.getByRole('row', { name: /Charge at the quay/ })).toContainText('%');

  // By hand it is kept off, and left to the rules again.
  await page.goto('/collect/kits/harbour-watch/devices?which=fitted');
  await page.getByRole('checkbox', { name: 'np-ups-1' }).check();
  await page.getByLabel('What to do').selectOption({ label: 'Keep it off' });
  await expect(page.locator('#saying')).toContainText('1 device would lose harbour-watch: what was collected stays');
  await page.getByRole('button', { name: 'Do it' }).click();
  await expect(page.getByRole('row', { name: /np-ups-1/ })).toHaveCount(0);
  await page.goto('/collect/kits/harbour-watch/devices?which=kept+off');
  await expect(page.getByRole('row', { name: /np-ups-1/ })).toContainText('Ines');
  await page.goto('/collect/values?kit=harbour-watch&q=np-ups-1');
  await expect(page.getByRole('row', { name: /Charge at the quay/ })).toHaveCount(0);
  await page.goto('/collect/values?kit=harbour-watch&state=off');
  await expect(page.getByRole('row', { name: /np-ups-1/ })).toContainText('not collected');
  await page.goto('/collect/kits/harbour-watch/devices?which=kept+off');
  await page.getByRole('checkbox', { name: 'np-ups-1' }).check();
  await page.getByLabel('What to do').selectOption({ label: 'Leave it to the rules' });
  await expect(page.locator('#saying')).toContainText('1 device would gain harbour-watch');
  await page.getByRole('button', { name: 'Do it' }).click();
  await expect(page.getByRole('row', { name: /np-ups-1/ })).toContainText('the rule Quays');

  // Without the rule it goes.
  await page.goto('/collect/fitting');
  await page.getByRole('link', { name: 'Quays' }).click();
  page.once('dialog', (dialog) => {
    expect(dialog.message()).toContain('4 devices would be fitted otherwise');
    dialog.accept();
  });
  await page.getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByRole('row', { name: /Quays/ })).toHaveCount(0);
  await page.goto('/collect/kits/harbour-watch/devices?which=fitted');
  await expect(page.getByText('No device fits')).toBeVisible();
  expect(problems).toEqual([]);
});

test('a reading, a source and a part are switched off, each saying what stops, and on again', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/collect/kits/ups/devices?which=fitted');
  await page.getByRole('link', { name: 'sh-ups-1' }).click();
  const card = page.locator('#kit-ups');
  const drawer = page.getByRole('dialog');
  const set = async (button, value, where) => {
    await card.getByRole('button', { name: button }).click();
    const it = drawer.getByLabel('It is', { exact: true });
    if (value.includes('collected') || value.startsWith('as ')) await it.selectOption({ label: value });
    else await it.fill(value);
    if (where) await drawer.getByLabel('Where it holds').selectOption({ label: where });
  };

  await set('on or off: reading:ups:charge', 'not collected', 'all below Sandhaven');
  await expect(drawer).toContainText('1 reading would stop; what was collected stays: Charge');
  await expect(drawer).toContainText('Series, about: 16 → 15');
  await drawer.getByRole('button', { name: 'Save' }).click();
  await expect(card.getByRole('row', { name: /^Charge/ })).toContainText('off: set at the place Sandhaven');

  await set('on or off: source:ups:outputs', 'not collected');
  await expect(drawer).toContainText('Requests a minute');
  await expect(drawer).toContainText('1 rule would judge nothing here');
  await drawer.getByRole('button', { name: 'Save' }).click();
  await expect(card.getByRole('row', { name: /^Load/ })).toContainText('off: with its source, set at the device itself');
  await expect(card.getByRole('row', { name: /^outputs/ })).toContainText('not asked');

  await set('how often: every:ups:whole', '7 hours');
  await expect(drawer).toContainText('Write how often, from 1s to 24h');
  await drawer.getByLabel('It is', { exact: true }).fill('90s');
  await drawer.getByRole('button', { name: 'Save' }).click();
  await expect(card.getByRole('row', { name: /^whole/ })).toContainText('each 90 s');

  // What is set otherwise is listed where the kit is.
  await page.goto('/collect/kits/ups/devices?which=otherwise');
  const row = page.getByRole('row', { name: /sh-ups-1/ });
  await expect(row).toContainText('The reading charge is switched off, set at the place Sandhaven');
  await expect(row).toContainText('whole is asked every 90s, set at the device itself');
  await row.getByRole('link').click();
  await set('on or off: source:ups:outputs', 'as it comes from above');
  await drawer.getByRole('button', { name: 'Save' }).click();
  await expect(card.getByRole('row', { name: /^outputs/ })).not.toContainText('not asked');
  await set('how often: every:ups:whole', '');
  await drawer.getByRole('button', { name: 'Save' }).click();
  await expect(card.getByRole('row', { name: /^whole/ })).toContainText('each 1 min');
  await set('on or off: reading:ups:charge', 'as it comes from above', 'all below Sandhaven');
  await drawer.getByRole('button', { name: 'Save' }).click();
  await expect(card.getByRole('row', { name: /^Charge/ })).not.toContainText('off:');
  expect(problems).toEqual([]);
});

test('an interval is set for the devices with a tag, and for no others', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  const card = page.locator('#kit-ups');
  const row = card.getByRole('row', { name: /^inputs/ });
  const drawer = page.getByRole('dialog');
  const open = async (device) => {
    await page.goto('/collect/kits/ups/devices?which=fitted');
    await page.getByRole('link', { name: device }).click();
  };
  const set = async (value) => {
    await card.getByRole('button', { name: 'how often: every:ups:inputs' }).click();
    await drawer.getByLabel('Where it holds').selectOption({ label: 'all below Kittiwake Line with the tag passengers' });
    await drawer.getByLabel('It is', { exact: true }).fill(value);
    await expect(drawer).toContainText('that the kit is fitted to');
    await drawer.getByRole('button', { name: 'Save' }).click();
  };
  await open('np-ups-1');
  await set('3m');
  await expect(row).toContainText('each 3 min');
  await expect(row).toContainText('Kittiwake Line for devices with the tag passengers');
  await open('ups-hq-1');
  await expect(row).toContainText('each 1 min');
  await open('np-ups-1');
  await set('');
  await expect(row).toContainText('each 1 min');
  expect(problems).toEqual([]);
});

test('what proved itself on one device becomes a kit for others, is changed, overridden and rolled back', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  // A change is in force at once; devices are taken up one after the other.
  const values = (query, count) =>
    expect(async () => {
      await page.goto(`/collect/values?kit=machines&${query}`);
      await expect(page.getByRole('row', { name: /booking-web-/ })).toHaveCount(count, { timeout: 2000 });
    }).toPass({ timeout: 30_000 });
  await page.goto('/collect/kits/host-resources/devices?q=booking-web-1');
  const device = (await page.getByRole('link', { name: 'booking-web-1' }).getAttribute('href')).replace('/collected', '');
  await page.goto(`${device}/pick?at=1.3.6.1.2.1.25.1.6.0`);
  await page.getByRole('button', { name: 'Collect it' }).click();
  await expect(page.getByRole('row', { name: /System processes/ }).first()).toBeVisible();
  await page.goto(`${device}/browse`);
  await page.getByRole('link', { name: 'Move to a kit' }).click();

  const told = page.locator('#move-rehearsal');
  await page.getByLabel('Name of the new kit').fill('Machines!');
  await page.getByLabel('Title of the new kit').fill('Machines');
  await expect(told).toContainText('small letters, digits');
  await page.getByLabel('Name of the new kit').fill('machines');
  await expect(told).toContainText('1 reading moves: System processes.');
  await page.getByRole('button', { name: 'Move, and put in force' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Devices of Machines' })).toBeVisible();
  await expect(page.getByRole('row', { name: /booking-web-1/ })).toContainText('fitted');

  // On others, too.
  await page.getByRole('checkbox', { name: 'booking-web-2' }).check();
  await page.getByRole('checkbox', { name: 'booking-web-3' }).check();
  await expect(page.locator('#saying')).toContainText('2 devices would gain machines');
  await page.getByRole('button', { name: 'Do it' }).click();
  await expect(page).toHaveURL(/which=fitted/);
  await expect(page.getByRole('row', { name: /booking-web-/ })).toHaveCount(3);
  await page.goto('/collect/values?kit=machines');
  await expect(page.getByRole('row', { name: /booking-web-3/ })).toContainText('System processes');

  // A second version, with who gains and what it costs.
  await page.goto('/collect/kits/machines/edit?open=file');
  const file = page.getByLabel('Kit file (YAML)');
  const first = await file.inputValue();
  await file.fill(
    `${first.replace('version: 1', 'version: 2')}    - key: users
      name: Users
      source: people
      value: [users]
`.replace(
      'readings:',
      '    - {key: people, way: snmp, every: 60s, ask: {form: get}, columns: [{as: users, of: 1.3.6.1.2.1.25.1.5.0}]}\nreadings:',
    ),
  );
  const effect = page.locator('#kit-rehearsal');
  await expect(effect).toContainText('in force at once on 3 devices');
  await expect(effect).toContainText('3 → 6');
  await page.getByRole('button', { name: 'Save, and put in force' }).click();
  await expect(page.getByText('version 2, on 3 devices')).toBeVisible();
  await values('reading=users', 3);

  // One device does without; that survives versions.
  await page.goto(`${device}/collected`);
  await page.getByRole('button', { name: 'on or off: reading:machines:users' }).click();
  await page.getByRole('dialog').getByLabel('It is', { exact: true }).selectOption({ label: 'not collected' });
  await expect(page.getByRole('dialog')).toContainText('1 reading would stop');
  await page.getByRole('dialog').getByRole('button', { name: 'Save' }).click();
  await expect(page.locator('#kit-machines').getByRole('row', { name: /^Users/ })).toContainText('off: set at the device itself');
  await values('reading=users', 2);

  // Back to the first version.
  await page.goto('/collect/kits/machines');
  await page.getByRole('link', { name: 'compare' }).click();
  await expect(page.getByText('This is an earlier version')).toBeVisible();
  await page.getByRole('button', { name: 'Save, and put in force' }).click();
  await expect(page.getByText('version 1, on 3 devices')).toBeVisible();
  await values('reading=users', 0);
  await values('state=off', 3);
  expect(problems).toEqual([]);
});
