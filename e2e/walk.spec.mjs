// The walk from an unknown address range to a closed ticket.
import { test, expect } from '@playwright/test';
import { base, desk, mail, signIn, watchConsole, breakThing, mendAll, expectHealth, openDevice } from './helpers.mjs';

test('a range is swept, adopted and collected from', async ({ page }) => {
  const problems = watchConsole(page);
  await signIn(page);
  await page.getByRole('link', { name: 'Find', exact: true }).click();
  await page.getByRole('link', { name: 'New sweep' }).first().click();
  await page.getByLabel('Name').fill('MV Skua after her refit');
  await page.getByLabel('Addresses to try').fill(`${base}.54.0/24`);
  await expect(page.locator('#size')).toContainText('256 addresses');
  await page.getByRole('checkbox', { name: 'Kittiwake read' }).check();
  await page.getByRole('button', { name: 'Start the sweep' }).click();
  await expect(page).toHaveURL(/find\/sweeps/);
  await expect(page.locator('#progress[data-state=done]')).toBeVisible({ timeout: 60_000 });
  const finds = page.locator('#finds tbody tr');
  await expect(finds).toHaveCount(5);
  const router = finds.filter({ hasText: 'skua-sat-1' });
  await expect(router).toContainText('BR-SAT');
  await expect(router, 'two addresses of one device are one find').toContainText(`${base}.54.254`);
  await router.getByRole('button', { name: 'why' }).click();
  await expect(page.locator('#drawer')).toContainText('one device with 2 addresses');
  await page.keyboard.press('Escape');
  await expect(page.locator('#runs')).toContainText('the first: all of it is new');
  await page.getByLabel('Select all').check();
  const adopt = page.locator('#adopt');
  await expect(adopt).toContainText('Adopt 5 finds');
  await expect(adopt).toContainText('requests a minute');
  await expect(adopt.getByLabel('Adopt into')).toHaveValue(/\d+/);
  await expect(adopt.getByLabel('Host resources')).toBeChecked();
  await adopt.getByRole('button', { name: 'Adopt' }).click();
  await expect(finds.getByRole('link', { name: 'adopted' })).toHaveCount(5);

  await openDevice(page, 'skua-engine-1');
  await expect(page.locator('#live')).toContainText('Processor', { timeout: 60_000 });
  await page.getByRole('button', { name: 'Collect now' }).click();
  await expect(page.locator('#notice')).toContainText('requests are on their way');
  await expect(page.locator('#live [data-value$="%"]').first()).toBeVisible({ timeout: 60_000 });
  await expect(page.locator('#live')).toContainText('eth0');
  await expect(page.locator('#live'), 'the loopback interface is left out').not.toContainText(/\blo\b/);
  await page.getByRole('button', { name: 'why' }).first().click();
  await expect(page.getByRole('dialog')).toContainText('Why fine?');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog')).toHaveCount(0);
  expect(problems).toEqual([]);
});

test('a dead device becomes an incident, a mail and a ticket, and back', async ({ page, request }) => {
  test.setTimeout(300_000); // five waits for what happens every so often come to more than the usual time
  const mails = async () => {
    const all = await (await request.get(mail, { headers: { Accept: 'application/json' } })).json();
    return (all ?? []).filter((m) => m.subject.includes('np-edge-1')).map((m) => m.subject);
  };
  await signIn(page);
  const before = (await mails()).length;
  await breakThing(page, 'Stop a device', 'np-edge-1');
  await expectHealth(page, 'np-edge-1', 'critical');
  await page.getByRole('link', { name: 'np-edge-1 does not answer' }).first().click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('np-edge-1 does not answer');
  const story = page.locator('.story');
  await expect(story).toContainText('First value beyond a limit');
  await expect(story).toContainText('Message to shore-desk@kittiwake.example');
  await expect(story).toContainText('accepted by the mail server', { timeout: 30_000 });
  await expect(story).toContainText(/Ticket KL-\d+/, { timeout: 30_000 });
  const number = (await story.getByRole('link', { name: /Ticket KL/ }).textContent()).replace('Ticket ', '').trim();
  await page.getByRole('button', { name: 'Acknowledge' }).click();
  await expect(story).toContainText('Ines acknowledged');
  await page.getByLabel('Comment').fill('   ');
  await page.getByRole('button', { name: 'Comment', exact: true }).click();
  await expect(page.getByRole('alert')).toContainText('Write something first');
  await page.getByLabel('Comment').fill('the pier has no power <b>yet</b>');
  await page.getByRole('button', { name: 'Comment', exact: true }).click();
  await expect(story).toContainText('the pier has no power <b>yet</b>');
  await story.getByRole('button', { name: 'why' }).first().click();
  await expect(page.getByRole('dialog')).toContainText('values in a row');
  const incident = page.url();

  await openDevice(page, 'np-kiosk-1');
  await mendAll(page);
  await page.goto(incident);
  await expect(story).toContainText('Recovered after', { timeout: 90_000 });
  await expect(page.locator('#incident')).toContainText('Resolved by recovery');

  const ticket = await (await request.get(`${desk}/tickets/${number}`)).text();
  expect(ticket, 'the ticket links back').toContain(new URL(incident).pathname);
  await expect.poll(async () => (await request.get(`${desk}/tickets/${number}`)).text(), { timeout: 30_000 }).toContain('Recovered after');
  await expect.poll(async () => (await mails()).length, { timeout: 30_000 }).toBe(before + 2);
  const told = ['Critical: np-edge-1 does not answer', 'Recovered: np-edge-1 does not answer'];
  expect([...new Set(await mails())].sort(), 'one when it began, one when it was over').toEqual(told);
});

test('behind a cut line everything is unreachable, and only the router alerts', async ({ page }) => {
  await signIn(page);
  await breakThing(page, 'Cut a line', 'Gull Rock');
  await expectHealth(page, 'gr-kiosk-1', 'unreachable', 120_000);
  await page.getByRole('button', { name: 'why' }).first().click();
  await expect(page.getByRole('dialog')).toContainText('does not answer either');
  await page.goto('/incidents?q=gr-');
  await expect(page.locator('#incident-table tbody tr')).toHaveCount(1);
  await expect(page.locator('#incident-table')).toContainText('gr-edge-1 does not answer');
  await mendAll(page);
  await expectHealth(page, 'gr-kiosk-1', 'fine', 120_000);
});

test('a changed limit acts at once, can be rehearsed, and bad input is told at its field', async ({ page }) => {
  await signIn(page);
  await page.goto('/judge');
  await page.getByRole('link', { name: 'Volume full' }).click();
  await page.getByLabel('notice: Begins beyond').fill('ninety');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('alert').first()).toContainText('Must be a number');
  await expect(page.getByLabel('notice: Begins beyond')).toHaveValue('ninety');
  await page.getByLabel('notice: Begins beyond').fill('60');
  await page.getByLabel('notice: Ends at').fill('58');
  await page.getByRole('button', { name: 'Rehearse' }).click();
  await expect(page.locator('#rehearsal')).toContainText('with the one in force', { timeout: 30_000 });
  await expect(page.locator('#rehearsal')).toContainText('gr-cctv-1');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Saved, and in force.')).toBeVisible();
  await expectHealth(page, 'np-cctv-1', 'notice', 20_000);
  await page.goto('/judge');
  await page.getByRole('link', { name: 'Volume full' }).click();
  await page.getByLabel('notice: Begins beyond').fill('82');
  await page.getByLabel('notice: Ends at').fill('80');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Saved, and in force.')).toBeVisible();
  await expectHealth(page, 'np-cctv-1', 'fine', 20_000);
});

test('a desk that fails delays a ticket and never doubles it', async ({ page, request }) => {
  await signIn(page);
  await breakThing(page, 'Spoil the desk or the mail', 'desk-refuses');
  await breakThing(page, 'Stop a device', 'sh-board-1');
  await page.goto('/incidents');
  await page.getByRole('link', { name: 'sh-board-1 does not answer' }).click({ timeout: 120_000 });
  const story = page.locator('.story');
  await expect(story).toContainText('the desk has lost its database', { timeout: 60_000 });
  const incident = page.url();
  await mendAll(page);
  await page.goto(incident);
  await expect(story).toContainText(/Ticket KL-\d+/, { timeout: 60_000 });
  const tickets = await (await request.get(`${desk}/`)).text();
  expect(tickets.split('sh-board-1').length - 1).toBe(1);
});

test('what a device says of itself has a past, and its samples a time to be kept', async ({ page }) => {
  await signIn(page);
  await page.keyboard.press('/');
  await page.keyboard.type('host-1');
  await page.locator('#results a', { hasText: 'host-1' }).first().click();
  const said = page.locator('section', { has: page.getByRole('heading', { name: 'What it says of itself' }) });
  await expect(said).toContainText('build 7731');
  await said.getByRole('link', { name: 'Description' }).click();
  await expect(page.locator('svg.bands rect title')).toHaveCount(2);
  await page.getByRole('link', { name: 'build 7714' }).click();
  await expect(page.getByRole('heading', { name: /When it was .*7714/ })).toBeVisible();
  await page.getByRole('button', { name: 'why' }).first().click();
  await expect(page.getByRole('dialog')).toContainText('kept as it is');
  await page.goto('/run/storage?by=reading&q=system%20/%20desc');
  await page.getByRole('button', { name: 'Change how long system / description is kept' }).click();
  const days = page.getByLabel('Single samples'),
    drawer = page.getByRole('dialog');
  await expect(drawer).toContainText('Nothing changes');
  await days.fill('3');
  await expect(drawer).toContainText('goes for good');
  await expect(drawer).toContainText('which value stood when is known afterwards');
  await days.fill('soon');
  await expect(drawer.getByRole('alert')).toContainText(/Single samples: .*from 1 to 3650/);
  await expect(page.getByRole('button', { name: /^Save/ })).toHaveCount(0);
  await days.fill('400');
  await expect(drawer).toContainText('Single samples: 400 days');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Saved.' })).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(page.locator('#kept-system-description')).toHaveText('400 · 1825');
  await page.reload();
  await expect(page.locator('#kept-system-description')).toHaveText('400 · 1825');
});
