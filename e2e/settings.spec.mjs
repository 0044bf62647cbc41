import { test, expect } from '@playwright/test';
import { signIn, openDevice, settingOf, watchConsole } from './helpers.mjs';

test('two who change one plan see what the other made, and a plan may be for some tags', async ({ browser }) => {
  const [one, two] = await Promise.all([browser.newPage(), browser.newPage()]);
  const form = (page) => page.locator('form', { hasText: 'Messages go to' });
  for (const page of [one, two]) {
    await signIn(page);
    await page.goto('/respond/plans');
  }
  await form(one).getByLabel('Only for incidents with the tags').fill('a=b');
  await form(one).getByRole('button', { name: 'Save' }).click();
  await expect(form(one).getByRole('alert')).toContainText('is no tag');
  await form(one).getByLabel('Only for incidents with the tags').fill('#night');
  await form(one).getByRole('button', { name: 'Save' }).click();
  await expect(form(one).getByText('Saved.')).toBeVisible();
  await form(two).getByLabel('From level').selectOption('critical');
  await form(two).getByRole('button', { name: 'Save' }).click();
  await expect(form(two).getByRole('alert')).toContainText('for the tags night');
  await expect(form(two).getByLabel('From level')).toHaveValue('critical');
  await form(two).getByLabel('From level').selectOption('warning');
  await form(two).getByRole('button', { name: 'Save' }).click();
  await expect(form(two).getByText('Saved.')).toBeVisible();
  await two.reload();
  await expect(form(two).getByLabel('Only for incidents with the tags')).toHaveValue('');
  await Promise.all([one.close(), two.close()]);
});

test('a stretch is rehearsed at a place, holds for its devices, is overridden and undone', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/run/places');
  await page.getByRole('link', { name: 'Sandhaven', exact: true }).click();
  const stretch = settingOf(page, 'Intervals of collecting');
  await stretch.getByText('set here').click();
  await stretch.getByLabel('Intervals of collecting').fill('0');
  await expect(stretch.getByText('Must be a number from 0.1 to 100')).toBeVisible();
  await stretch.getByLabel('Intervals of collecting').fill('2');
  await expect(stretch.getByText(/It would hold for \d+ devices/)).toBeVisible();
  await expect(stretch.getByText('Requests a minute, about')).toBeVisible();
  await stretch.getByRole('button', { name: 'Save' }).click();
  await expect(stretch).toContainText('set here');
  await expect(stretch).toContainText('× 2');

  await openDevice(page, 'sh-edge-1');
  await expect(page.locator('#side').getByRole('row', { name: /Reachability/ })).toContainText('each 30 s');
  await page.getByRole('link', { name: 'Set-up' }).click();
  await expect(stretch).toContainText('from Sandhaven');
  await stretch.getByText('override here').click();
  await stretch.getByLabel('Intervals of collecting').fill('1');
  await stretch.getByRole('button', { name: 'Save' }).click();
  await expect(stretch).toContainText('set here');
  await openDevice(page, 'sh-edge-1');
  await expect(page.locator('#side').getByRole('row', { name: /Reachability/ })).toContainText('each 15 s');
  await page.getByRole('link', { name: 'Set-up' }).click();
  await stretch.getByText('change', { exact: true }).click();
  await stretch.getByRole('button', { name: 'Back to “× 2”' }).click();
  await expect(stretch).toContainText('from Sandhaven');

  await page.goto('/run/audit');
  const change = page.locator('tr[data-row]').filter({ hasText: 'Sandhaven' }).filter({ hasText: 'a setting of a place' });
  await change.first().getByRole('button', { name: 'all' }).click();
  await page.getByRole('button', { name: 'Undo …' }).click();
  await page.getByRole('button', { name: 'Undo it' }).click();
  await expect(page.getByRole('dialog')).toContainText('Done.');
  await page.goto('/run/places');
  await page.getByRole('link', { name: 'Sandhaven', exact: true }).click();
  await expect(stretch).toContainText('nothing');
  expect(problems).toEqual([]);
});

test('two who set up one device see what the other made', async ({ browser }) => {
  const [one, two] = await Promise.all([browser.newPage(), browser.newPage()]);
  for (const page of [one, two]) {
    await signIn(page);
    await openDevice(page, 'booking-db-2');
    await page.getByRole('link', { name: 'Set-up' }).click();
  }
  const faster = 'Somebody else has changed it meanwhile';
  // How it is asked.
  const asked = (page) => page.locator('#endpoint-snmp');
  for (const page of [one, two]) await asked(page).getByText('Address, port and patience').click();
  const port = await asked(one).getByLabel('Port').inputValue();
  await asked(one).getByLabel('Port').fill('1161');
  await asked(one).getByRole('button', { name: 'Save' }).click();
  await expect(asked(one).getByText('Saved, and in force.')).toBeVisible();
  await asked(two).getByLabel('Port').fill('1162');
  await asked(two).getByRole('button', { name: 'Save' }).click();
  await expect(asked(two).getByRole('alert')).toContainText(faster);
  await expect(asked(two).getByRole('alert')).toContainText('SNMP port 1161');
  await expect(asked(two).getByLabel('Port')).toHaveValue('1162');
  await asked(one).getByText('Address, port and patience').click();
  await asked(one).getByLabel('Port').fill(port); // before it counts as lost
  await asked(one).getByRole('button', { name: 'Save' }).click();
  await expect(asked(one).getByText('Saved, and in force.')).toBeVisible();
  // What is set for it.
  const stretch = (page) => settingOf(page, 'Intervals of collecting');
  for (const page of [one, two]) await stretch(page).getByText('set here').click();
  await stretch(one).getByLabel('Intervals of collecting').fill('3');
  await stretch(one).getByRole('button', { name: 'Save' }).click();
  await expect(stretch(one)).toContainText('× 3');
  await stretch(two).getByLabel('Intervals of collecting').fill('4');
  await stretch(two).getByRole('button', { name: 'Save' }).click();
  await expect(stretch(two).getByRole('alert')).toContainText(faster);
  await expect(stretch(two)).toContainText('× 3');
  await stretch(two).getByRole('button', { name: 'Save' }).click();
  await expect(stretch(two)).toContainText('× 4');
  await stretch(two).getByText('change', { exact: true }).click();
  await stretch(two).getByRole('button', { name: 'Take away' }).click();
  await expect(stretch(two)).toContainText('set nowhere');
  // And its attributes.
  const attributes = (page) => page.locator('[data-attributes]');
  await attributes(one).getByLabel('Name', { exact: true }).fill('shelf');
  await attributes(one).getByLabel('Value', { exact: true }).fill('1');
  await attributes(one).getByRole('button', { name: 'Add' }).click();
  await expect(attributes(one)).toContainText('shelf');
  await two.reload();
  const shelf = (page) => attributes(page).getByRole('listitem').filter({ hasText: 'shelf' });
  for (const page of [one, two]) await shelf(page).getByText('change', { exact: true }).click();
  await shelf(one).getByLabel('Value of shelf').fill('2');
  await shelf(one).getByRole('button', { name: 'Save' }).click();
  await expect(shelf(one)).toContainText('2');
  await shelf(two).getByLabel('Value of shelf').fill('3');
  await shelf(two).getByRole('button', { name: 'Save' }).click();
  await expect(attributes(two).getByRole('alert')).toContainText(faster);
  await expect(shelf(two)).toContainText('2');
  await Promise.all([one.close(), two.close()]);
});

test('hours get a name, hold where it is set, and stay as long as they are needed', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/run/calendars');
  await page.getByLabel('Name', { exact: true }).fill('Ferry season');
  await page.getByLabel('Hours', { exact: true }).fill('daily 00:00-24:00, not 02-30');
  await expect(page.locator('#calendar-rehearsal')).toContainText('“02-30” is no day');
  await page.getByLabel('Hours', { exact: true }).fill('daily 00:00-24:00, not 02-29');
  await expect(page.locator('#calendar-rehearsal')).toContainText('Open now');
  await page.getByRole('button', { name: 'Make' }).click();
  await expect(page.getByRole('row', { name: /Ferry season/ })).toContainText('open');

  await page.goto('/run/places');
  await page.getByRole('link', { name: 'Sandhaven', exact: true }).click();
  const hours = settingOf(page, 'Hours of collecting');
  await hours.getByText('set here').click();
  await hours.getByLabel('Hours of collecting').fill('ferry SEASON');
  await expect(hours.getByText(/It would hold for \d+ devices/)).toBeVisible();
  await hours.getByRole('button', { name: 'Save' }).click();
  await expect(hours).toContainText('Ferry season: daily 00:00-24:00, not 02-29');
  await page.goto('/run/calendars');
  await page.getByRole('link', { name: 'Ferry season' }).click();
  page.once('dialog', (d) => d.accept());
  await page.getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByRole('alert')).toContainText('It is set at 1 place or device');
  await page.getByLabel('Name', { exact: true }).fill('Ferries');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('row', { name: /Ferries/ })).toBeVisible();

  await page.goto('/run/places');
  await page.getByRole('link', { name: 'Sandhaven', exact: true }).click();
  await expect(hours).toContainText('Ferries: daily');
  await hours.getByText('change', { exact: true }).click();
  await hours.getByRole('button', { name: 'Take away' }).click();
  await expect(hours).toContainText('set nowhere');
  await page.goto('/run/calendars');
  await page.getByRole('link', { name: 'Ferries' }).click();
  page.once('dialog', (d) => d.accept());
  await page.getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByText('No calendar yet')).toBeVisible();
  expect(problems).toEqual([]);
});
