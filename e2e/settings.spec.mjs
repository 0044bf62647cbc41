import { test, expect } from '@playwright/test';
import { signIn, openDevice, watchConsole } from './helpers.mjs';

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
