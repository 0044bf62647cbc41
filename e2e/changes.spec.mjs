// Changes of several things: gathered, told as a whole, put in force in one go, and taken back.
import { test, expect } from '@playwright/test';
import { signIn, watchConsole } from './helpers.mjs';

test('a kit, a rule that fits it and an interval change together, and are rolled back', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/collect/kits/printer/edit?open=file');
  const file = page.getByLabel('Kit file (YAML)');
  const before = await file.inputValue();
  await file.fill(before.replace('version: 1', 'version: 2').replace(/^title: .*/m, 'title: Printers of the quay'));
  await page.getByRole('button', { name: 'Add to changes' }).click();
  await expect(page).toHaveURL(/collect\/changes\/\d+/);
  const set = page.url();
  const gathered = page.locator('#changes-told [data-edit]');
  await expect(gathered).toHaveCount(1);

  await page.goto('/collect/fitting/new');
  await page.getByLabel('Name').fill('Everything on the pier');
  await page.getByLabel('Devices for which').fill('"North Pier" in places');
  await page.locator('[name="kit-system"]').selectOption('keeps-off');
  await page.getByRole('button', { name: 'Add to changes' }).click();
  await expect(page, 'it goes to what is gathered already').toHaveURL(set);
  await expect(gathered).toHaveCount(2);

  await page.goto('/run/places');
  await page.getByRole('link', { name: 'Gull Rock' }).first().click();
  const interval = page.locator('#settings').getByRole('listitem').filter({ hasText: 'Intervals of collecting' });
  await interval.locator('summary').click();
  await interval.getByLabel('Intervals of collecting').fill('soon');
  await interval.getByRole('button', { name: 'Add to changes' }).click();
  await expect(interval.getByRole('alert'), 'what is wrong is told at its field').toContainText('number');
  await interval.getByLabel('Intervals of collecting').fill('3');
  await interval.getByRole('button', { name: 'Add to changes' }).click();
  await expect(page).toHaveURL(set);
  await expect(gathered).toHaveCount(3);

  const told = page.locator('#changes-preview');
  await expect(told).toContainText('Something on');
  await expect(told).toContainText('Requests a minute');
  await page.getByRole('button', { name: 'Take Everything on the pier out' }).click();
  await expect(gathered).toHaveCount(2);
  await page.getByLabel('Name').fill('Quiet quay');
  await page.getByLabel('Reason').fill('Gull Rock has a thin line');
  await page.getByRole('button', { name: 'Put all in force' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Quiet quay');
  await expect(page.getByText('in force, by Ines')).toBeVisible();

  await page.goto('/collect/kits/printer');
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Printers of the quay');
  await page.goto('/run/audit?q=thin+line');
  await expect(page.locator('[data-row]').first(), 'the reason is noted with each').toBeVisible();

  // Somebody changes one of them again: that stays.
  await page.goto('/run/places');
  await page.getByRole('link', { name: 'Gull Rock' }).first().click();
  await interval.locator('summary').click();
  await interval.getByLabel('Intervals of collecting').fill('4');
  await interval.getByRole('button', { name: 'Save' }).click();
  await expect(interval).toContainText('× 4');
  await page.goto(set);
  await page.getByRole('button', { name: 'See what that would do' }).click();
  const back = page.locator('#changes-rollback');
  await expect(back).toContainText('Changed again since: this stays as it is now');
  await expect(back).toContainText('3 → 4');
  await page.getByLabel('Reason').fill('It was a drill');
  await page.getByRole('button', { name: 'Roll back the rest' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Rollback of Quiet quay');
  await page.goto('/collect/kits/printer');
  await expect(page.getByRole('heading', { level: 1 })).not.toContainText('quay');
  await page.goto(set);
  await expect(page.getByRole('link', { name: 'what rolled it back' })).toBeVisible();

  // Other walks find the place as it was.
  await page.goto('/run/places');
  await page.getByRole('link', { name: 'Gull Rock' }).first().click();
  await interval.locator('summary').click();
  await interval.getByLabel('Intervals of collecting').fill('');
  await interval.getByRole('button', { name: 'Save' }).click();
  await expect(interval).not.toContainText('× 4');
  expect(problems).toEqual([]);
});
