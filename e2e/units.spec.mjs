// Charts write values as the pages do: the same cases as package units.
import { readFileSync } from 'node:fs';
import { test, expect } from '@playwright/test';
import { openDevice, signIn } from './helpers.mjs';

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
