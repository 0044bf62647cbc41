// Charts write values as the pages do: the same cases as package units.
import { readFileSync } from 'node:fs';
import { test, expect } from '@playwright/test';
import { openDevice, signIn, watchConsole } from './helpers.mjs';

const cases = JSON.parse(readFileSync(new URL('../internal/core/units/testdata/values.json', import.meta.url)));

test('numbers read the same in charts and on pages', async ({ page }) => {
  await signIn(page);
  await openDevice(page, 'log-1');
  await expect(page.locator('[data-chart] canvas').first()).toBeVisible();
  const written = await page.evaluate((all) => all.map((c) => formatValue(c.value, c.unit).replaceAll('\u00a0', ' ')), cases);
  expect(written).toEqual(cases.map((c) => c.text));
  const none = await page.evaluate(() => [formatValue(null, '%'), formatValue(undefined, '%'), formatValue(NaN, 's')]);
  expect(none).toEqual(['–', '–', '–']);
});

test('values now are narrowed to a place, kept together, hung on a wall, and come anew by themselves', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/collect/values');
  await page.getByRole('combobox', { name: 'Place' }).selectOption({ label: 'North Pier' });
  await page.getByRole('combobox', { name: 'Kit' }).selectOption({ label: 'Uninterruptible power supply' });
  const table = page.locator('#value-table');
  await expect(table.getByRole('row', { name: /np-ups-1/ }).first()).toBeVisible();
  await expect(table.getByRole('row', { name: /gr-ups-1/ })).toHaveCount(0);
  await page.getByRole('combobox', { name: 'Group' }).selectOption({ label: 'by reading' });
  await expect(table.getByRole('rowheader', { name: 'Battery voltage 1 in all' })).toBeVisible();
  await expect(page).toHaveURL(/group=reading/);

  await page.getByRole('combobox', { name: 'Look' }).selectOption({ label: 'as a wall' });
  const tile = table.getByRole('link', { name: /np-ups-1.*Battery voltage/ });
  await expect(tile.locator('svg.spark polyline').first()).toBeVisible();
  await expect(table.getByRole('link', { name: /Power comes from/ }).locator('svg.bands')).toBeVisible();
  const again = page.waitForRequest((request) => request.url().includes('/collect/values') && request.url().includes('live='));
  await page.getByLabel('live', { exact: true }).check();
  await again;
  await page.waitForRequest((request) => request.url().includes('live='));
  await expect(tile).toBeVisible();
  await tile.click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Battery voltage');
  expect(problems).toEqual([]);
});
