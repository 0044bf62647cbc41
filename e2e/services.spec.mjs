// Services seen from outside: a portal's sign-in added by hand, a standby that applies nothing, a query of one's own.
import { test, expect } from '@playwright/test';
import { base, breakThing, mendAll, openDevice, signIn, watchConsole } from './helpers.mjs';

const spoil = 'Spoil what a device serves';

// collectUntil asks a device again and again until a value of a kit says something.
async function collectUntil(page, device, kit, reading, says) {
  await expect(async () => {
    await page.goto(device);
    await page.getByRole('button', { name: 'Collect now' }).click();
    await page.goto(`/collect/values?kit=${kit}`);
    await expect(page.getByRole('row', { name: reading }).first()).toContainText(says, { timeout: 3_000 });
  }).toPass({ timeout: 90_000 });
}

test('a sign-in to a portal is added by hand, broken while its port answers, and mended', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.goto('/find');
  await page.getByRole('link', { name: 'Add one by hand' }).click();
  await page.getByRole('link', { name: 'Sign-in to a portal' }).click();
  await page.getByLabel('Address').fill(`http://${base}.30.21:8081/`);
  await page.getByLabel('Text that shows who is in').fill('Welcome aboard');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.locator('#add-form .bad').first()).toBeVisible();
  await page.getByLabel('User', { exact: true }).fill('lookout');
  await page.getByLabel('Password', { exact: true }).fill('low tide');
  await page.getByRole('button', { name: 'Try it' }).click();
  const trial = page.locator('.trial');
  await expect(trial).toContainText('Sign-in failed: nobody is let in: the page asks for the password again');
  await expect(trial).toContainText('form number 2 of the page: it asks for a name and a password');
  await expect(trial, 'no secret is told').not.toContainText('low tide');
  await page.getByLabel('Password', { exact: true }).fill('tide-table-of-the-quay');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(trial).toContainText('Passes: signed in');
  await page.getByRole('button', { name: 'Add it' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'sh-kiosk-1' }), 'the device that is watched there already').toBeVisible();
  const device = page.url();
  await collectUntil(page, device, 'web-sign-in', /sh-kiosk-1.*Sign-in (?!says)/, 'passes');
  await page.getByPlaceholder('Find anything').fill('30.21');
  await expect(page.locator('#results'), 'any piece of its address finds it').toContainText('sh-kiosk-1');

  await breakThing(page, spoil, 'second portal / broken up');
  await collectUntil(page, device, 'web-sign-in', /sh-kiosk-1.*Sign-in says/, 'broken up by markup or a line end; this pattern fits');
  await mendAll(page);
  await breakThing(page, spoil, 'second portal / nobody');
  await collectUntil(page, device, 'web-sign-in', /sh-kiosk-1.*Sign-in (?!says)/, 'nobody is let in');
  await mendAll(page);
  await collectUntil(page, device, 'web-sign-in', /sh-kiosk-1.*Sign-in (?!says)/, 'passes');
  expect(problems).toEqual([]);
});

test('what a standby does not apply is told in words, and it recovers', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await openDevice(page, 'booking-db-2');
  const device = page.url();
  await page.goto(device + '/collected');
  await expect(page.locator('main'), 'a standby gets the kit of one, by what is said of it').toContainText('Standby databases');
  await openDevice(page, 'booking-db-1');
  await page.getByRole('link', { name: 'What it collects' }).click();
  await page.locator('summary', { hasText: 'PostgreSQL standby' }).click();
  await expect(page.locator('main'), 'the active server does not, and why is told').toContainText('role active');
  await breakThing(page, spoil, 'standby database / apply');
  await collectUntil(page, device, 'postgresql-standby', /booking-db-2.*Apply/, 'stopped');
  await collectUntil(page, device, 'postgresql-standby', /booking-db-2.*Apply/, 'stopped');
  await page.goto('/incidents');
  await expect(page.getByText('The standby booking-db-2 applies nothing').first()).toBeVisible({ timeout: 60_000 });
  await mendAll(page);
  await collectUntil(page, device, 'postgresql-standby', /booking-db-2.*Apply/, 'running');
  expect(problems).toEqual([]);
});

test('a statement of one’s own is run, refused where it would change something, and collected', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await openDevice(page, 'booking-db-1');
  await page.getByRole('link', { name: 'Set-up' }).click();
  await page.getByRole('link', { name: 'Own query' }).first().click();
  const statement = page.getByLabel('Statement');
  await statement.fill('DELETE FROM bookings RETURNING id');
  await page.getByRole('button', { name: 'Run it' }).click();
  await expect(page.locator('#query')).toContainText('the statement would change something, and was not run');
  await statement.fill('SELECT sailing, count(*) AS booked FROM bookings GROUP BY sailing ORDER BY sailing');
  await page.getByRole('combobox', { name: 'Database' }).selectOption('postgresql');
  await page.getByRole('button', { name: 'Run it' }).click();
  await expect(page.getByRole('row', { name: /Sandhaven 1/ })).toBeVisible();
  await page.getByRole('button', { name: 'Collect it' }).click();
  await expect(page.getByText('Give it a title')).toBeVisible();
  await expect(statement, 'nothing typed is lost').toHaveValue(/GROUP BY sailing/);
  await page.getByLabel('Called').fill('Bookings by sailing');
  await page.getByRole('button', { name: 'Collect it' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'booking-db-1' })).toBeVisible();
  await collectUntil(page, page.url(), 'bookings-by-sailing', /Sandhaven 1.*booked/, /\d/);
  expect(problems).toEqual([]);
});
