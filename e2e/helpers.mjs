import { expect } from '@playwright/test';

export const base = process.env.OWL_DEMO_BASE.replace(/\.0\.0$/, '');
export const desk = `http://${base}.0.2:8080`;
export const mail = `http://${base}.0.3:8080`;

// patient lets a walk go on though the page just leads somewhere else by itself, as after a form was taken.
function patient(page) {
  const goto = page.goto.bind(page);
  page.goto = (url, options) =>
    goto(url, options).catch((error) => {
      if (!/ERR_ABORTED|interrupted by another navigation/.test(error.message)) throw error;
      return goto(url, options);
    });
}

export async function signIn(page, name = 'ines') {
  patient(page);
  await page.goto('/signin');
  await page.getByLabel('Name').fill(name);
  await page.getByLabel('Password').fill('night-watch');
  await page.getByLabel('Trust this browser').check();
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page).toHaveURL(/\/$/);
}

// settingOf is the row of something that is set at a place or a device.
export const settingOf = (page, title) => page.locator('#settings').getByRole('listitem').filter({ hasText: title });

// Console errors are failures: a strict policy must not be broken silently.
export function watchConsole(page) {
  const problems = [];
  page.on('console', (m) => {
    // A request that a newer one replaced is no fault.
    const expected = /status of (422|404|401|429)|^htmx:(afterRequest|sendAbort)/;
    if (m.type() === 'error' && !expected.test(m.text())) problems.push(m.text());
  });
  page.on('pageerror', (e) => problems.push(e.message));
  return problems;
}

export async function breakThing(page, heading, target) {
  await page.goto('/run/drill');
  const before = await page.getByRole('button', { name: 'Mend' }).count();
  const form = page.locator('form', { has: page.getByRole('heading', { name: heading }) });
  await form.getByRole('combobox').selectOption(target);
  await form.getByRole('button').click();
  await expect(page.getByRole('button', { name: 'Mend' })).toHaveCount(before + 1);
}

export async function mendAll(page) {
  await page.goto('/run/drill');
  const buttons = page.getByRole('button', { name: 'Mend' });
  while ((await buttons.count()) > 0) {
    const before = await buttons.count();
    await buttons.first().click();
    await expect(buttons).toHaveCount(before - 1);
  }
}

// Waits for the device page to show a state of health, live.
export async function expectHealth(page, name, health, timeout = 90_000) {
  await openDevice(page, name);
  await expect(page.locator('#head')).toContainText(new RegExp(`${health} for`), { timeout });
}

export async function openDevice(page, name) {
  await page.goto(`/devices?q=${name}`);
  await page.getByRole('link', { name, exact: true }).click();
  await expect(page.getByRole('heading', { level: 1, name })).toBeVisible();
}
