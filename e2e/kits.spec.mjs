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
  await page.getByRole('button', { name: 'As a file' }).click();
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

  // The draft is tried on a device: it is asked, nothing is stored.
  const tried = page.locator('#kit-trial');
  await page.getByRole('button', { name: 'Ask now' }).click();
  await expect(tried.getByRole('row', { name: /Read from it/ })).toContainText('B/s');
  await expect(tried).toContainText('series');

  // Somebody else is faster.
  const other = await browser.newPage();
  await signIn(other);
  await other.goto('/collect/kits/disk-io/edit?open=file');
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

test('a kit is made by its things: brought in, tried, parked, refused at the field, and saved', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/collect/kits/new');
  const outline = page.getByRole('navigation', { name: 'Things of the kit' });
  const told = page.locator('#kit-rehearsal');
  const open = (name) => outline.getByRole('button', { name, exact: true }).click();
  await page.getByLabel('Title').fill('Clocks of the quay');
  await page.getByLabel('Name', { exact: true }).fill('quay-clocks');

  // What was typed goes along, whatever is pressed next.
  await open('Uptime of the agent');
  await expect(page.getByRole('heading', { level: 2, name: 'Uptime of the agent' })).toBeVisible();
  await page.getByLabel('Called', { exact: true }).fill('Agent runs since');
  await page.getByLabel('Made of').fill('uptime, nothing');
  await expect(told).toContainText('nothing');
  await page.getByLabel('Made of').fill('uptime');
  await expect(told).toContainText('A new kit, which is fitted to nothing yet.');

  // A reading comes from another kit, another from a module.
  await outline.getByLabel('Bring in a reading').fill('users');
  await outline.getByLabel('Bring in a reading').press('Enter');
  await expect(page, 'Enter sends no draft').toHaveURL(/kits\/new/);
  const found = page.locator('#kit-finds li').filter({ hasText: 'Unix host' });
  await found.getByRole('button', { name: 'Users', exact: true }).click();
  await expect(page.getByRole('heading', { level: 2, name: 'Users' })).toBeVisible();
  await outline.getByLabel('Bring in a reading').fill('hrSystemProcesses');
  await page.locator('#kit-finds').getByRole('button', { name: 'hrSystemProcesses', exact: true }).click();
  await expect(page.getByRole('heading', { level: 2, name: /processes/i })).toBeVisible();
  await page.getByRole('button', { name: 'Add a rule on it' }).click();
  await page.getByLabel('Called', { exact: true }).fill('Too many processes');
  await page.getByLabel('warning: Begins beyond').fill('many');
  await expect(told).toContainText('Warning, Begins beyond: Must be a number');
  await open('About the kit');
  await expect(page.getByLabel('warning: Begins beyond'), 'what cannot be taken stays as it was typed').toHaveValue('many');
  await page.getByLabel('warning: Begins beyond').fill('4000');
  await expect(told).toContainText('A new kit');

  // It is tried on a device, the open reading marked.
  await open('Agent runs since');
  await page.locator('select[name=device]').selectOption({ label: 'booking-web-1' });
  await page.getByRole('button', { name: 'Ask now' }).click();
  const tried = page.locator('#kit-trial');
  await expect(tried.locator('tr.opened')).toContainText('Agent runs since');
  await expect(tried.getByRole('row', { name: /^Users/ })).toBeVisible();

  // Parked, it is kept and not collected; moved, it stands elsewhere.
  await open('Users');
  await page.getByRole('button', { name: 'Park' }).click();
  await expect(page.getByText('It is parked')).toBeVisible();
  await expect(outline.getByRole('listitem').filter({ hasText: 'Users' })).toContainText('parked');
  await page.getByRole('button', { name: 'Take out' }).click();
  await expect(page.getByText('“Users” is taken out of the draft.')).toBeVisible();
  await page.getByRole('button', { name: 'Put it back' }).click();
  await expect(page.getByRole('heading', { level: 2, name: 'Users' })).toBeVisible();
  await page.getByRole('button', { name: 'Up', exact: true }).click();
  await page.getByRole('button', { name: 'As a file' }).click();
  await expect(page.getByLabel('Kit file (YAML)')).toHaveValue(/quay-clocks[\s\S]*Users[\s\S]*parked: true[\s\S]*Agent runs since/);
  await page.getByRole('button', { name: 'By its things' }).click();
  await page.getByRole('button', { name: 'Save, and put in force' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Clocks of the quay' })).toBeVisible();
  await expect(page.getByText('Parked, kept and not collected: reading Users')).toBeVisible();
  await expect(page.getByText('It is on no device yet.')).toBeVisible();

  // Taken up again, from the page of the kit.
  await page.getByRole('link', { name: 'change', exact: true }).first().click();
  await open('Users');
  await page.getByRole('button', { name: 'Take up' }).click();
  await expect(told).toContainText('+ reading Users');
  let asked = '';
  page.once('dialog', (dialog) => {
    asked = dialog.type();
    dialog.accept();
  });
  await page.getByRole('link', { name: 'Back' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Clocks of the quay' })).toBeVisible();
  expect(asked, 'a draft is not left unasked').toBe('beforeunload');
  await page.goto('/collect/kits/quay-clocks');
  page.once('dialog', (dialog) => dialog.accept());
  await page.getByRole('button', { name: 'Take the kit away' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Kits' })).toBeVisible();
  expect(problems).toEqual([]);
});
