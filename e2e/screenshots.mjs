// Makes docs/screenshots anew from the demo: make screenshots.
import { test, expect } from '@playwright/test';
import { base, signIn, breakThing, mendAll, openDevice } from './helpers.mjs';

const dir = 'docs/screenshots';
const shot = async (page, name) => {
  await page.mouse.move(0, 0);
  await page.waitForLoadState('networkidle').catch(() => {}); // the event stream never rests
  await expect(page.locator('.how', { hasText: 'loading' })).toHaveCount(0);
  await page.screenshot({ path: `${dir}/${name}.png` });
};

test('pictures', async ({ page }) => {
  test.setTimeout(400_000);
  page.setDefaultTimeout(120_000);
  await page.goto('/signin');
  await signIn(page);

  await page.goto('/find/new');
  await page.getByLabel('Name').fill('MV Skua after her refit');
  await page.getByLabel('Addresses to try').fill(`${base}.54.0/24`);
  await page.getByRole('checkbox', { name: 'Kittiwake read' }).check();
  await page.getByRole('button', { name: 'Start the sweep' }).click();
  await expect(page.locator('#progress[data-state=done]')).toBeVisible({ timeout: 60_000 });
  await page.getByLabel('Select all').check();
  await expect(page.locator('#adopt')).toContainText('requests a minute');
  await page.screenshot({ path: `${dir}/sweep.png` });

  await page.goto('/find/add?kit=web-sign-in');
  await page.getByLabel('Address').fill(`http://${base}.30.21:8081/`);
  await page.getByLabel('Text that shows who is in').fill('Welcome aboard');
  await page.getByLabel('User', { exact: true }).fill('lookout');
  await page.getByLabel('Password', { exact: true }).fill('tide-table-of-the-quay');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.locator('.trial')).toContainText('Passes: signed in');
  await page.evaluate(() => window.scrollTo(0, 0));
  await shot(page, 'add');

  await breakThing(page, 'Stop a device', 'np-edge-1');
  await breakThing(page, 'Fill a volume', 'file-1 /data');
  await page.screenshot({ path: `${dir}/drill.png` });
  await page.goto('/incidents');
  await page.getByRole('link', { name: 'np-edge-1 does not answer' }).click();
  await expect(page.locator('.story')).toContainText(/Ticket KL-\d+/);
  await page.getByRole('button', { name: 'Acknowledge' }).click();
  await expect(page.locator('.story')).toContainText('Ines acknowledged');
  await page.getByLabel('Comment').fill('No power on the pier; the electrician is on his way.');
  await page.getByRole('button', { name: 'Comment', exact: true }).click();
  await expect(page.locator('.story')).toContainText('No power');
  await page.locator('main .why').first().click();
  await expect(page.getByRole('dialog')).toBeVisible();
  await page.waitForTimeout(400); // the drawer slides in
  await page.screenshot({ path: `${dir}/incident.png` });

  for (const [name, path] of Object.entries({
    watch: '/',
    devices: '/devices',
    kits: '/collect',
    values: '/collect/values?view=wall&kit=ups',
    fitting: '/collect/fitting/3',
    incidents: '/incidents?state=all',
    run: '/run',
    storage: '/run/storage?by=reading',
  })) {
    await page.goto(path);
    await shot(page, name);
  }
  await page.goto('/collect/kits/ups/edit?open=readings/battery_voltage');
  await page.locator('select[name=device]').selectOption({ label: 'np-ups-1' });
  await page.getByRole('button', { name: 'Ask now' }).click();
  await expect(page.locator('#kit-trial tr.opened')).toBeVisible();
  await shot(page, 'kit');
  await page.goto('/collect/kits/ups/edit?open=file');
  const file = page.getByLabel('Kit file (YAML)');
  const ups = await file.inputValue();
  await file.fill(ups.replace('version: 1', 'version: 2').replace('{at: 80, recover: 75}', '{at: 20, recover: 15}'));
  await page.getByRole('button', { name: 'Add to changes' }).click();
  await page.waitForURL(/collect\/changes\/\d+/);
  await page.goto('/run/places');
  await page.getByRole('link', { name: 'North Pier' }).first().click();
  const stretched = page.locator('#settings').getByRole('listitem').filter({ hasText: 'Intervals of collecting' });
  await stretched.locator('summary').click();
  await stretched.getByLabel('Intervals of collecting').fill('2');
  await stretched.getByRole('button', { name: 'Add to changes' }).click();
  await expect(page.locator('#changes-preview')).toContainText('Requests a minute');
  await page.getByLabel('Name').fill('Quiet pier');
  await page.getByLabel('Reason').fill('The line of the pier is thin; old batteries are to be seen earlier.');
  await shot(page, 'changes');
  await openDevice(page, 'sh-edge-1');
  await page.getByRole('link', { name: 'Set-up' }).click();
  const intervals = page.locator('#settings').getByRole('listitem').filter({ hasText: 'Intervals of collecting' });
  await intervals.locator('summary').click();
  await intervals.getByLabel('Intervals of collecting').fill('2');
  await expect(intervals.getByText('Requests a minute, about')).toBeVisible();
  await page.screenshot({ path: `${dir}/setup.png` });
  await page.goto('/collect/values?kit=interfaces&reading=state&q=port33');
  await page.locator('#value-table a.go').first().click();
  await page.getByRole('link', { name: '14 d', exact: true }).click();
  await expect(page.locator('svg.bands')).toBeVisible();
  await shot(page, 'states');
  await page.goto('/judge');
  await page.getByRole('link', { name: 'Volume full' }).click();
  await page.getByLabel('notice: Begins beyond').fill('60');
  await page.getByLabel('notice: Ends at').fill('58');
  await page.getByRole('button', { name: 'Rehearse' }).click();
  await expect(page.locator('#rehearsal')).toContainText('with the one in force');
  await page.evaluate(() => scrollTo(0, 0));
  await shot(page, 'rule');
  await mendAll(page);
  await openDevice(page, 'np-sw-1');
  await page.goto(`${page.url().split('?')[0]}/pick?at=1.3.6.1.2.1.2.2.1.14`);
  await page.getByLabel('Only rows for which').fill('ifType != 24 && ifOperStatus == 1');
  await page.getByRole('button', { name: 'Look again' }).click();
  await expect(page.locator('#rehearsed')).toContainText('9 left out');
  await page.evaluate(() => scrollTo(0, 0));
  await shot(page, 'pick');
  await page.evaluate(() => localStorage.setItem('theme', 'dark'));
  await openDevice(page, 'sh-edge-1');
  await page.getByRole('link', { name: '3 d', exact: true }).click();
  await shot(page, 'device');
});
