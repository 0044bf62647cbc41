import { test, expect } from '@playwright/test';
import { signIn, openDevice, watchConsole } from './helpers.mjs';

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

const settingOf = (page, title) => page.locator('#settings').getByRole('listitem').filter({ hasText: title });

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
  await stretch.getByText('change').click();
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
