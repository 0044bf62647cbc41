// Small local behaviour: theme, live events, keyboard, drawer, finder.
'use strict';

const byId = (id) => document.getElementById(id);

// Theme: the person's choice, else the system's.
function applyTheme(name) {
  document.documentElement.dataset.bsTheme = name;
  document.dispatchEvent(new CustomEvent('owl:theme'));
}
function storedTheme() {
  return localStorage.getItem('theme') || (matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light');
}
applyTheme(storedTheme());

// A form that is sent before htmx stands waits for it: the browser's own way
// would leave the page and lose what was typed.
let early = null;
document.addEventListener(
  'submit',
  (event) => {
    if (window.htmx || !event.target.hasAttribute('hx-post')) return;
    event.preventDefault();
    early ??= [event.target, event.submitter];
  },
  true,
);
document.addEventListener('DOMContentLoaded', () => {
  // htmx takes up the page in a listener of its own, which may come after this one.
  if (early)
    setTimeout(() => {
      early[0].requestSubmit(early[1]);
      early = null;
    });
});

document.addEventListener('alpine:init', () => {
  Alpine.data('theme', () => ({
    toggle() {
      const next = document.documentElement.dataset.bsTheme === 'dark' ? 'light' : 'dark';
      localStorage.setItem('theme', next);
      applyTheme(next);
    },
  }));
  // The form of a place: an organisation lies below no other one.
  Alpine.data('place', () => ({
    top: false,
    init() {
      this.update();
    },
    update() {
      this.top = this.$root.querySelector('[name=kind]').value === 'organisation';
    },
  }));
  // A list whose items come in an order that one chooses.
  Alpine.data('ordered', () => ({
    earlier(event) {
      const item = event.target.closest('[data-item]');
      if (item.previousElementSibling) item.previousElementSibling.before(item);
      event.target.focus(); // it went with its item
    },
  }));
  // A list whose rows can be ticked, with one bar of actions for them.
  Alpine.data('selection', () => ({
    count: 0,
    boxes() {
      return [...this.$root.querySelectorAll('tbody input[data-pick]:not(:disabled)')];
    },
    init() {
      this.update();
    },
    update() {
      const boxes = this.boxes();
      this.count = boxes.filter((b) => b.checked).length;
      boxes.forEach((b) => b.closest('tr').classList.toggle('chosen', b.checked));
    },
    all(event) {
      this.boxes().forEach((b) => {
        b.checked = event.target.checked;
      });
      this.update();
      this.$root.dispatchEvent(new CustomEvent('owl:selected', { bubbles: true }));
    },
    get none() {
      return this.count === 0;
    },
  }));
});

// What the server tells is passed on at most once in so many milliseconds,
// the last of a burst included: nothing may stay as it was before the end.
const pauses = { values: 3000, health: 2000, incidents: 1000, sweep: 500 };
const heard = new Map(); // by event: when it was last heard of and passed on, and the timer
function tell(name) {
  const of = heard.get(name) ?? { passed: -Infinity };
  heard.set(name, of);
  of.at = performance.now();
  if (of.timer) return;
  const pass = () => {
    of.timer = 0;
    of.passed = performance.now();
    document.body.dispatchEvent(new CustomEvent(`owl:${name}`));
  };
  const wait = of.passed + (pauses[name.split('-')[0]] ?? 0) - of.at;
  if (wait <= 0) pass();
  else of.timer = setTimeout(pass, wait);
}
// A part that asked before something happened, and was answered after it, may
// show the state before: its request did not hear the event, so it is told again.
const asked = new Map(); // by id of the part
document.addEventListener('htmx:beforeRequest', (event) => asked.set(event.detail.elt.id, performance.now()));
document.addEventListener('htmx:afterSettle', (event) => {
  const part = event.detail.elt;
  for (const [, name] of (part.getAttribute?.('hx-trigger') ?? '').matchAll(/owl:([\w-]+)/g)) {
    if (heard.get(name)?.passed > asked.get(part.id)) return tell(name);
  }
});

// While the database is away the page stays as it was, under a banner that says
// so; when it is back the page takes up what it missed. A page that shows nothing
// else is loaded again.
let waiting = 0;
function away(text) {
  const banner = byId('away');
  if (banner && !document.querySelector('[data-away]')) {
    banner.textContent = withTimes(`This page is as it was before: ${text.trim()}.`);
    banner.hidden = false;
  }
  waiting ||= setTimeout(isBack, 1500);
}
async function isBack() {
  waiting = 0;
  const answer = await fetch('/present', { cache: 'no-store' }).catch(() => null);
  if (!answer?.ok) return away(answer ? await answer.text() : 'Tireless Owl does not answer');
  if (document.querySelector('[data-away]')) return location.reload();
  byId('away').hidden = true;
  ['opened', 'health', 'incidents', 'store'].forEach(tell);
}

// Live: the server tells what changed; parts of the page listen for it.
function listen() {
  if (!document.body.dataset.live) return;
  const source = new EventSource('/events');
  // What happened before the stream stood, or while it was broken, was missed.
  let stood = false;
  source.onopen = () => {
    const missed = stood ? ['opened', 'health', 'incidents'] : ['opened'];
    stood = true;
    missed.forEach(tell);
  };
  source.onerror = () => {
    waiting ||= setTimeout(isBack, 300);
    if (source.readyState === EventSource.CLOSED) setTimeout(listen, 3000);
  };
  source.onmessage = (message) => {
    const event = JSON.parse(message.data);
    tell(event.kind);
    if (event.id) tell(`${event.kind}-${event.id}`);
  };
  addEventListener('pagehide', () => source.close());
}

// A value that changed since the last look is underlined for two seconds.
const seen = new Map();
function markChanges(root) {
  root.querySelectorAll('[data-value]').forEach((cell) => {
    const key = cell.dataset.key;
    if (seen.has(key) && seen.get(key) !== cell.dataset.value) cell.classList.add('changed');
    seen.set(key, cell.dataset.value);
  });
}

// Times are sent in UTC and shown in the viewer's zone.
const clock = new Intl.DateTimeFormat(undefined, { hour: '2-digit', minute: '2-digit', second: '2-digit', hour12: false });
const dayClock = new Intl.DateTimeFormat(undefined, { month: 'short', day: 'numeric', hour: '2-digit', minute: '2-digit', hour12: false });
const shortClock = new Intl.DateTimeFormat(undefined, { hour: '2-digit', minute: '2-digit', hour12: false });
const full = new Intl.DateTimeFormat(undefined, { dateStyle: 'full', timeStyle: 'long' });
function localTimes(root) {
  root.querySelectorAll('time[datetime]').forEach((t) => {
    const at = new Date(t.dateTime);
    if (Number.isNaN(at.getTime())) return;
    const form = t.dataset.form;
    if (form === 'clock') t.textContent = clock.format(at);
    if (form === 'day') t.textContent = dayClock.format(at);
    t.title = `${full.format(at)} (${t.dateTime})`;
  });
  root.querySelectorAll('[data-times]').forEach((t) => {
    t.textContent = withTimes(t.textContent);
  });
}
// Times within a text, as the server writes them, in the viewer's zone.
function withTimes(text) {
  return text.replace(/\d{4}-\d\d-\d\dT[\d:]+Z/g, (at) => clock.format(new Date(at)));
}
function tickClock() {
  const now = byId('clock');
  if (!now) return;
  const zone = new Intl.DateTimeFormat(undefined, { timeZoneName: 'short' })
    .formatToParts(new Date())
    .find((p) => p.type === 'timeZoneName');
  now.textContent = `${shortClock.format(new Date())} ${zone ? zone.value : ''}`;
}

function closeDrawer() {
  const drawer = byId('drawer');
  if (!drawer || !drawer.firstElementChild) return false;
  drawer.replaceChildren();
  const url = new URL(location.href);
  url.searchParams.delete('why');
  history.replaceState(null, '', url);
  if (closeDrawer.opener && closeDrawer.opener.isConnected) closeDrawer.opener.focus();
  return true;
}

// Keys: g then a letter goes to an area; j and k move through a list.
const areas = { w: '/', f: '/find', c: '/collect', j: '/judge', r: '/incidents', u: '/run' };
let waitingForArea = false;
function rows() {
  return [...document.querySelectorAll('main [data-row] a.go, main .list tbody a.go')].filter((a) => a.offsetParent);
}
function move(step) {
  const all = rows();
  if (!all.length) return;
  const at = all.indexOf(document.activeElement);
  all[Math.max(0, Math.min(all.length - 1, at + step))].focus();
}
const plainKeys = {
  '/': () => byId('finder').focus(),
  '?': () => byId('help').showModal(),
  j: () => move(1),
  k: () => move(-1),
  t: () => document.querySelector('[data-theme-toggle]')?.click(),
  a: () => byId('acknowledge')?.click(),
  w: () => document.querySelector('main .why')?.click(),
};
function onKey(event) {
  if (event.key === 'Escape') {
    // Closed here and now: the browser's own closing comes too late for the next key.
    const dialog = document.querySelector('dialog[open]');
    if (dialog) {
      event.preventDefault();
      dialog.close();
      return;
    }
    if (document.activeElement === byId('finder')) {
      byId('finder').blur();
      byId('results').replaceChildren();
      return;
    }
    if (closeDrawer()) event.preventDefault();
    return;
  }
  const typing = event.target.closest('input:not([type=checkbox]):not([type=radio]), textarea, select, dialog[open]');
  if (event.target.id === 'finder' || event.target.closest('#results')) {
    moveInResults(event);
    return;
  }
  if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
  if (waitingForArea) {
    waitingForArea = false;
    if (areas[event.key]) {
      event.preventDefault();
      location.href = areas[event.key];
    }
    return;
  }
  if (event.key === 'g') {
    waitingForArea = true;
    setTimeout(() => {
      waitingForArea = false;
    }, 1500);
    return;
  }
  const action = plainKeys[event.key];
  if (action) {
    event.preventDefault();
    action();
  }
}
// Keys come faster than answers: where the answer to what is typed is on its way, it is opened when it comes,
// and an answer that comes late takes the place of the one before without taking the place of the keys.
let openWhenFound = false;
let inResults = -1;
const foundLinks = () => [...byId('results').querySelectorAll('a')];
function moveInResults(event) {
  openWhenFound = false;
  if (!['ArrowDown', 'ArrowUp', 'Enter'].includes(event.key)) return;
  const links = foundLinks();
  if (event.key === 'Enter') {
    if (event.target.id !== 'finder') return;
    event.preventDefault();
    if (byId('results').dataset.of !== byId('finder').value) openWhenFound = true;
    else links[0]?.click();
    return;
  }
  event.preventDefault();
  const at = links.indexOf(document.activeElement) + (event.key === 'ArrowDown' ? 1 : -1);
  (links[at] || byId('finder')).focus();
}

// copyText marks a text, and puts it on the clipboard where the browser lets us: over plain HTTP it does not.
async function copyText(button, from) {
  getSelection().selectAllChildren(from);
  try {
    await navigator.clipboard.writeText(from.textContent);
    button.textContent = 'Copied';
  } catch {
    button.textContent = 'Marked: press Ctrl+C';
  }
}

document.addEventListener('keydown', onKey);
document.addEventListener(
  'click',
  (event) => {
    const opener = event.target.closest('[hx-target="#drawer"]');
    if (opener) closeDrawer.opener = opener;
    if (event.target.closest('[data-close-drawer]')) closeDrawer();
    const copier = event.target.closest('[data-copies]');
    if (copier) copyText(copier, byId(copier.dataset.copies));
    if (event.target.closest('[data-help]')) byId('help').showModal();
    if (event.target.closest('[data-close-dialog]')) event.target.closest('dialog').close();
    const ask = event.target.closest('[data-confirm]');
    if (ask && !window.confirm(ask.dataset.confirm)) {
      event.preventDefault();
      event.stopImmediatePropagation();
    }
  },
  true,
);
document.addEventListener('focusout', (event) => {
  const finder = event.target.closest('.finder');
  if (!finder || finder.contains(event.relatedTarget)) return;
  setTimeout(() => {
    if (!finder.contains(document.activeElement)) byId('results').replaceChildren();
  }, 150);
});
document.addEventListener('htmx:beforeSwap', (event) => {
  if (event.target.id === 'results') inResults = foundLinks().indexOf(document.activeElement);
});
document.addEventListener('htmx:afterSwap', (event) => {
  if (event.target.id === 'results') {
    event.target.dataset.of = new URLSearchParams(event.detail.pathInfo.finalRequestPath.split('?')[1]).get('q') ?? '';
    const links = foundLinks();
    if (inResults >= 0) (links[Math.min(inResults, links.length - 1)] ?? byId('finder')).focus();
    if (openWhenFound && event.target.dataset.of === byId('finder').value) links[0]?.click();
  }
  localTimes(event.target);
  markChanges(document);
  if (event.target.id === 'drawer') byId('drawer').querySelector('[tabindex="-1"]')?.focus();
});
// A form that is wrong answers 422 with itself, messages included.
document.addEventListener('htmx:beforeSwap', (event) => {
  if (event.detail.xhr.status === 422) {
    event.detail.shouldSwap = true;
    event.detail.isError = false;
  }
});
document.addEventListener('htmx:responseError', (event) => {
  if (event.detail.xhr.status === 503) return away(event.detail.xhr.responseText);
  byId('toast').textContent = problemOf(event.detail.xhr);
  setTimeout(() => {
    byId('toast').textContent = '';
  }, 6000);
});
// What went wrong, in words: of what is refused the server says why.
function problemOf(xhr) {
  if (xhr.status === 401) return 'You are signed out: load the page again.';
  if ([403, 404, 409].includes(xhr.status) && xhr.responseText.length < 400) return xhr.responseText.trim();
  return `That did not work (${xhr.status}). Try again.`;
}
// Who types faster than the page loads is heard all the same.
addEventListener('load', () => {
  if (byId('finder')?.value) byId('finder').dispatchEvent(new CustomEvent('owl:search'));
});
document.addEventListener('DOMContentLoaded', () => {
  localTimes(document);
  markChanges(document);
  tickClock();
  if (document.querySelector('[data-away]')) away('');
  setInterval(tickClock, 10000);
  listen();
});
