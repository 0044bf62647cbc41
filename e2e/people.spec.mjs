import crypto from 'node:crypto';
import { test, expect } from '@playwright/test';
import { openDevice, signIn } from './helpers.mjs';

const named = `http://localhost:${process.env.OWL_LISTEN.split(':')[1]}`;

// A code of the time (RFC 6238), off steps of 30 s from now.
function codeOf(secret, off = 0) {
  const bits = [...secret].map((c) => 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567'.indexOf(c).toString(2).padStart(5, '0')).join('');
  const key = Buffer.from(bits.match(/.{8}/g).map((b) => parseInt(b, 2)));
  const time = Buffer.alloc(8);
  time.writeBigUInt64BE(BigInt(Math.floor(Date.now() / 30_000) + off));
  const hash = crypto.createHmac('sha1', key).update(time).digest();
  const at = hash[19] & 15;
  return String((hash.readUInt32BE(at) & 0x7fffffff) % 1_000_000).padStart(6, '0');
}

// A device of the browser that makes and uses passkeys.
async function addAuthenticator(page) {
  const devtools = await page.context().newCDPSession(page);
  await devtools.send('WebAuthn.enable');
  await devtools.send('WebAuthn.addVirtualAuthenticator', {
    options: {
      protocol: 'ctap2',
      transport: 'internal',
      hasResidentKey: true,
      hasUserVerification: true,
      isUserVerified: true,
      automaticPresenceSimulation: true,
    },
  });
}

async function comeIn(page, name, password, { trust = false } = {}) {
  await page.goto('/signin');
  await page.getByLabel('Name').fill(name);
  await page.getByLabel('Password').fill(password);
  if (trust) await page.getByLabel('Trust this browser').check();
  await page.getByRole('button', { name: 'Sign in' }).click();
}

async function pick(page, label, option) {
  await page.getByLabel(label, { exact: true }).selectOption({ label: option });
}

test('a team of helpers looks at one site, on a tablet that is not trusted, until a level is changed and undone', async ({
  page,
  browser,
}) => {
  await signIn(page);
  // Organisation, site and group, each below the one before.
  for (const [name, kind, below] of [
    ['Eider Ferries', 'organisation', ''],
    ['Outer Quay', 'site', 'Eider Ferries'],
    ['Kiosks of the quay', 'group', 'Outer Quay'],
  ]) {
    await page.goto('/run/places/new');
    await page.getByLabel('Name', { exact: true }).fill(name);
    await pick(page, 'Kind', kind);
    if (below) await pick(page, 'Lies below', below);
    await page.getByLabel('Name', { exact: true }).press('Enter');
    await expect(page.getByRole('heading', { level: 1, name })).toBeVisible();
  }
  // A team that may look there, and a person who is invited into it.
  await page.goto('/run/teams/new');
  await page.getByLabel('Name', { exact: true }).fill('Quay helpers');
  await page.getByLabel('Level of grant 1').selectOption('see');
  await page.getByLabel('Place of grant 1').selectOption({ label: 'Outer Quay' });
  await page.getByRole('button', { name: /^(Make the team|Add the team|Save)/ }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Quay helpers' })).toBeVisible();
  await page.goto('/run/people/new');
  await page.getByLabel('Name to sign in with').fill('tern');
  await page.getByLabel('Quay helpers').check();
  await page.getByRole('button', { name: 'Add the person' }).click();
  await expect(page).toHaveURL(/\/run\/people\/\d+$/);
  await page.getByRole('button', { name: 'Make a link' }).click();
  const link = await page.locator('#person-link code').innerText();

  const tablet = await (await browser.newContext({ viewport: { width: 820, height: 1180 } })).newPage();
  await tablet.goto(link.replace(named, ''));
  await tablet.getByLabel('New password').fill('outer-quay');
  await tablet.getByLabel('Once more').fill('outer-key');
  await tablet.getByRole('button', { name: 'Set the password' }).click();
  await expect(tablet.getByText('This is not the same as above.')).toBeVisible();
  await tablet.getByLabel('New password').fill('outer-quay');
  await tablet.getByLabel('Once more').fill('outer-quay');
  await tablet.getByRole('button', { name: 'Set the password' }).click();
  await expect(tablet.getByText('Your password is set.')).toBeVisible();
  await tablet.goto(link.replace(named, ''));
  await expect(tablet.getByText('This link opens nothing.')).toBeVisible();
  await comeIn(tablet, 'tern', 'outer-quay');
  await tablet.goto('/run/places');
  await expect(tablet.locator('main')).toContainText('Outer Quay');
  await expect(tablet.locator('main')).not.toContainText('Skerry House');
  await expect(tablet.locator('.lookonly')).toHaveCount(0);

  // More is allowed now, though not in a browser that is not trusted.
  await page.goto('/run/teams');
  await page.getByRole('link', { name: 'Quay helpers' }).click();
  await page.getByLabel('Level of grant 1').selectOption('configure');
  const saved = page.waitForEvent('load'); // the page is shown anew
  await page.getByRole('button', { name: 'Save' }).click();
  await saved;
  await page.goto('/run/audit');
  const change = page.locator('tr[data-row]').filter({ hasText: 'see → configure' });
  await expect(change).toHaveCount(1);
  await tablet.goto('/run/places');
  await expect(tablet.locator('.lookonly')).toContainText('this browser is not trusted');
  await tablet.getByRole('link', { name: 'Trust it' }).click();
  await tablet.getByLabel('Your password, once more').fill('outer-key');
  await tablet.getByRole('button', { name: 'Trust it' }).click();
  await expect(tablet.getByText('That is not your password.')).toBeVisible();
  await tablet.getByLabel('Your password, once more').fill('outer-quay');
  await tablet.getByRole('button', { name: 'Trust it' }).click();
  await expect(tablet.locator('.lookonly')).toHaveCount(0);
  await expect(tablet.locator('#presence')).toContainText('this one');

  // And undone.
  await change.getByRole('button', { name: 'all' }).click();
  await page.getByRole('button', { name: 'Undo …' }).click();
  await expect(page.getByRole('dialog')).toContainText('configure → see');
  await page.getByRole('button', { name: 'Undo it' }).click();
  await expect(page.getByRole('dialog')).toContainText('Done.');
  await page.goto('/run/audit');
  await expect(page.locator('tr[data-row]').first()).toContainText('undoes “change a team”');

  // The sign-in at the tablet ends from the other side.
  await page.goto('/run/people');
  await page.getByRole('link', { name: 'tern' }).click();
  await page.locator('#presence').getByRole('button', { name: 'End', exact: true }).click();
  await expect(page.locator('#presence')).toContainText('Nowhere');
  await tablet.goto('/devices');
  await expect(tablet).toHaveURL(/\/signin/);
});

test('codes and passkeys are a second factor', async ({ browser }) => {
  const context = await browser.newContext({ baseURL: named });
  const page = await context.newPage();
  await addAuthenticator(page);
  await comeIn(page, 'runa', 'night-watch', { trust: true });
  await page.goto('/me');
  await page.getByLabel('Name of a new passkey').fill('Bridge');
  await page.getByRole('button', { name: 'Add a passkey' }).click();
  await expect(page.locator('#factors td.name')).toHaveText('Bridge');
  await page.getByRole('button', { name: 'Use codes' }).click();
  const secret = await page.locator('.offer .mono').innerText();
  await page.getByLabel('The code that it shows').fill('000000');
  await page.getByRole('button', { name: 'Use codes' }).click();
  await expect(page.getByText('That is not the present code.')).toBeVisible();
  await page.getByLabel('The code that it shows').fill(codeOf(secret));
  await page.getByRole('button', { name: 'Use codes' }).click();
  await expect(page.locator('.recovery li')).toHaveCount(8);
  const recovery = await page.locator('.recovery li').first().innerText();

  // A trusted browser asks for nothing more; another one for a code.
  await page.getByRole('button', { name: /^Sign out/ }).click();
  await comeIn(page, 'runa', 'night-watch');
  await expect(page).toHaveURL(`${named}/`);
  await page.getByRole('button', { name: /^Sign out/ }).click();
  await context.clearCookies();
  await comeIn(page, 'runa', 'night-watch');
  await page.getByLabel('Code').fill('000000');
  await page.getByRole('button', { name: 'Go on' }).click();
  await expect(page.getByText('That is not the present code.')).toBeVisible();
  await page.getByLabel('Code').fill(recovery);
  await page.getByRole('button', { name: 'Go on' }).click();
  await expect(page).toHaveURL(`${named}/`);

  // Trust needs the second factor, too; then a passkey opens alone.
  await page.goto('/me/trust?next=/devices');
  await page.getByRole('button', { name: 'Use a passkey' }).click();
  await expect(page).toHaveURL(/\/devices$/);
  await page.getByRole('button', { name: /^Sign out/ }).click();
  await context.clearCookies();
  await page.goto('/signin');
  await page.getByRole('button', { name: 'Use a passkey' }).click();
  await expect(page).toHaveURL(`${named}/`);
  await expect(page.getByRole('link', { name: 'Runa' })).toBeVisible();

  // Put back what others expect.
  await page.goto('/me/trust');
  await page.getByRole('button', { name: 'Use a passkey' }).click();
  await expect(page).toHaveURL(/\/me$/);
  await page.getByText(/recovery codes left/).click();
  await page.locator('#factors').getByLabel('Your password').fill('night-watch');
  await page.getByRole('button', { name: 'Stop using codes' }).click();
  await expect(page.getByRole('button', { name: 'Use codes' })).toBeVisible();
  page.on('dialog', (d) => d.accept());
  await page.getByRole('button', { name: 'Take away' }).click();
  await expect(page.locator('#factors td.name')).toHaveCount(0);
  await context.close();
});

test('people sign in elsewhere, and their groups decide', async ({ browser }) => {
  const context = await browser.newContext({ baseURL: named });
  const page = await context.newPage();
  const from = async (who) => {
    await page.goto('/signin');
    await page.getByRole('link', { name: 'Sign in with Harbour accounts' }).click();
    await page.getByRole('button', { name: who }).click();
  };
  await from('Liv');
  await expect(page.getByRole('alert')).toHaveText('None of your groups at Harbour accounts may come in here.');
  await from('Nobody of these');
  await expect(page.getByRole('alert')).toContainText('did not confirm who you are');
  await from('Bram');
  await expect(page).toHaveURL(`${named}/`);
  await page.goto('/devices');
  await expect(page.locator('main')).toContainText('np-sw-1');
  await expect(page.locator('main')).not.toContainText('booking-db-1');
  await expect(page.locator('.lookonly')).toBeVisible();
  await page.getByRole('link', { name: 'Trust it' }).click();
  await page.getByRole('link', { name: 'Confirm at Harbour accounts' }).click();
  await page.getByRole('button', { name: 'Bram' }).click();
  await expect(page.locator('.lookonly')).toHaveCount(0);
  await context.close();
});

test('a team may look at what carries a tag, wherever it stands, and at nothing beside it', async ({ page, browser }) => {
  await signIn(page);
  await page.goto('/run/teams/new');
  await page.getByLabel('Name', { exact: true }).fill('Booking keepers');
  await page.getByLabel('Level of grant 1').selectOption('see');
  await pick(page, 'Place of grant 1', 'Kittiwake Line');
  await page.getByLabel('Tag of grant 1').fill('a=b');
  await page.getByRole('button', { name: 'Make the team' }).click();
  await expect(page.getByRole('alert')).toContainText('without = # and commas');
  await page.getByLabel('Tag of grant 1').fill('#booking');
  await page.getByRole('button', { name: 'Make the team' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Booking keepers' })).toBeVisible();
  await page.goto('/run/people/new');
  await page.getByLabel('Name to sign in with').fill('dunlin');
  await page.getByLabel('Password').fill('outer-quay');
  await page.getByLabel('Booking keepers').check();
  await page.getByRole('button', { name: 'Add the person' }).click();
  await expect(page).toHaveURL(/\/run\/people\/\d+$/);
  const person = page.url();

  const other = await (await browser.newContext()).newPage();
  await comeIn(other, 'dunlin', 'outer-quay');
  await expect(other.locator('main')).not.toContainText('booking-db');

  await openDevice(page, 'booking-db-1');
  await page.getByRole('link', { name: 'Set-up' }).click();
  const card = page.locator('[data-attributes]');
  await card.getByLabel('Name', { exact: true }).fill('booking');
  await card.getByRole('button', { name: 'Add' }).click();
  await expect(card.locator('.tags')).toContainText('booking');

  await other.goto('/devices');
  await expect(other.locator('#device-table tbody tr')).toHaveCount(1);
  await expect(other.locator('#device-table')).toContainText('booking-db-1');
  await other.getByRole('link', { name: 'booking-db-1' }).click();
  await expect(other.locator('main')).toContainText('Skerry House');
  await other.goto('/run/places');
  await expect(other.locator('main')).not.toContainText('North Pier');

  await page.goto(person);
  const allowed = page.locator('#allowed');
  await allowed.getByLabel('At', { exact: true }).selectOption({ label: 'Skerry House' });
  await expect(allowed.getByRole('row', { name: /watch/ })).toContainText('nothing');
  await allowed.getByLabel('With the device').fill('booking-db-1');
  await allowed.getByLabel('With the device').press('Enter');
  await expect(allowed.getByRole('row', { name: /watch/ })).toContainText('see');

  await openDevice(page, 'booking-db-1');
  await page.getByRole('link', { name: 'Set-up' }).click();
  await card
    .locator('.tags')
    .getByRole('button', { name: /booking/ })
    .click();
  await expect(card.getByRole('button', { name: /booking/ })).toHaveCount(0);
  await other.goto('/devices');
  await expect(other.locator('main')).not.toContainText('booking-db-1');
});
