// Draws charts: trend, envelope, limits, breaches, changes. Gaps stay gaps.
'use strict';

const COLOURS = ['--petrol', '--bar-warning', '--bar-unreachable', '--bar-notice', '#7a8b3a', '#a0522d', '#5a7d8c', '--bar-critical'];
const cssValue = (name) => (name.startsWith('--') ? getComputedStyle(document.documentElement).getPropertyValue(name).trim() : name);

// Values with their unit, as package units writes them; both are tested on
// the same cases.
const NARROW = '\u00a0';
const DECIMAL = ['', 'k', 'M', 'G', 'T', 'P'];
const BINARY = ['', 'Ki', 'Mi', 'Gi', 'Ti', 'Pi'];
const SPANS = [
  [86400, 'd'],
  [3600, 'h'],
  [60, 'min'],
  [1, 's'],
];

function formatValue(value, unit) {
  if (!Number.isFinite(value)) return '–';
  switch (unit) {
    case 'B':
    case 'B/s':
      return scaled(value, unit, 1024, BINARY);
    case '1/s':
      return scaled(value, '/s', 1000, DECIMAL).replace(`${NARROW}/s`, '/s');
    case 'bit':
    case 'bit/s':
      return scaled(value, unit, 1000, DECIMAL);
    case 's':
      return formatSeconds(value);
    case 'Cel':
      return `${formatNumber(value)}${NARROW}°C`;
    case '':
      return formatNumber(value);
    default:
      return `${formatNumber(value)}${NARROW}${unit}`;
  }
}
function formatNumber(value) {
  const size = Math.abs(value);
  if (size === 0) return '0';
  const rounded = (tens) => String((Math.sign(value) * Math.round(size * tens)) / tens);
  if (size >= 100) return rounded(1);
  if (size >= 10) return rounded(10);
  if (size >= 0.01) return rounded(100);
  return String(+value.toPrecision(2));
}
function scaled(value, unit, base, prefixes) {
  let i = 0;
  for (; Math.abs(value) >= base && i < prefixes.length - 1; i += 1) value /= base;
  return `${formatNumber(value)}${NARROW}${prefixes[i]}${unit}`;
}
function formatSeconds(value) {
  const size = Math.abs(value);
  if (size === 0) return `0${NARROW}s`;
  if (size < 0.001) return `${formatNumber(value * 1e6)}${NARROW}µs`;
  if (size < 1) return `${formatNumber(value * 1e3)}${NARROW}ms`;
  if (size < 120) return `${formatNumber(value)}${NARROW}s`;
  return formatSpan(size);
}
function formatSpan(seconds) {
  const whole = Math.round(seconds);
  const i = SPANS.findIndex(([size]) => whole >= size);
  const [size, name] = SPANS[i];
  const text = `${Math.floor(whole / size)}${NARROW}${name}`;
  if (i > 1) return text;
  const [next, nextName] = SPANS[i + 1];
  const rest = Math.floor((whole % size) / next);
  return rest > 0 ? `${text}${NARROW}${rest}${NARROW}${nextName}` : text;
}

// Where the names of limits stand, from the right edge on. One that would cover
// another steps aside.
function place(ctx, limits, right, top) {
  const px = devicePixelRatio;
  let before = null;
  return limits.map((limit) => {
    const y = limit.y < top + 16 * px ? limit.y + 13 * px : limit.y - 4 * px;
    const aside = before && Math.abs(before.y - y) < 14 * px;
    const x = aside ? before.left - 10 * px : right;
    before = { y, x, left: x - ctx.measureText(limit.label).width, limit };
    return before;
  });
}

// The names of limits, on ground of their own so that no line runs through them.
// Where there is no room for all of them they are short.
function labels(ctx, limits, left, right, top) {
  const px = devicePixelRatio;
  ctx.font = `${11 * px}px "Atkinson Next"`;
  ctx.textAlign = 'right';
  ctx.textBaseline = 'alphabetic';
  let places = place(ctx, limits, right, top);
  if (places.some((p) => p.left < left)) {
    places = place(
      ctx,
      limits.map((l) => ({ ...l, label: l.label.replace(/ for .+$/, '') })),
      right,
      top,
    );
  }
  for (const { x, y, left: from, limit } of places) {
    ctx.fillStyle = cssValue('--card');
    ctx.fillRect(from - 3 * px, y - 10 * px, x - from + 6 * px, 13 * px);
    ctx.fillStyle = cssValue(`--${limit.level}`);
    ctx.fillText(limit.label, x, y);
  }
}

// Limit lines, breaches beyond them, and ticks where health changed.
function overlay(data) {
  return (u) => {
    const { ctx } = u;
    const { left, top, width, height } = u.bbox;
    ctx.save();
    ctx.beginPath();
    ctx.rect(left, top, width, height + 14);
    ctx.clip();
    for (const span of data.breaches) {
      const from = u.valToPos(span.from, 'x', true);
      const to = Math.max(from + 2, u.valToPos(span.to, 'x', true));
      ctx.globalAlpha = 0.1;
      ctx.fillStyle = cssValue(`--bar-${span.level}`);
      ctx.fillRect(from, top, to - from, height);
      ctx.globalAlpha = 1;
    }
    const shown = data.limits
      .map((l) => ({ ...l, y: u.valToPos(l.value, 'y', true) }))
      .filter((l) => l.y >= top - 1 && l.y <= top + height);
    ctx.setLineDash([5 * devicePixelRatio, 4 * devicePixelRatio]);
    ctx.lineWidth = devicePixelRatio;
    for (const limit of shown) {
      ctx.strokeStyle = cssValue(`--${limit.level}`);
      ctx.beginPath();
      ctx.moveTo(left, limit.y);
      ctx.lineTo(left + width, limit.y);
      ctx.stroke();
    }
    labels(ctx, shown, left, left + width - 4, top);
    ctx.setLineDash([]);
    for (const mark of data.marks) {
      const x = u.valToPos(mark.at, 'x', true);
      ctx.fillStyle = cssValue(mark.level === 'fine' ? '--soft' : `--bar-${mark.level}`);
      ctx.fillRect(x - devicePixelRatio, top + height + 1, 2 * devicePixelRatio, 7 * devicePixelRatio);
    }
    ctx.restore();
  };
}

// All lines over one row of times. Where only others have a value a line goes
// on; where its own values are null it is broken.
function columns(data) {
  const cols = uPlot.join(data.series.map((s) => [s.t, s.max, s.min, s.avg]));
  const series = [{}];
  const bands = [];
  data.series.forEach((s, i) => {
    const colour = cssValue(COLOURS[i % COLOURS.length]);
    const at = series.length;
    series.push(
      { show: true, stroke: 'transparent', width: 0, points: { show: false } },
      { stroke: 'transparent', width: 0, points: { show: false } },
      {
        stroke: colour,
        width: 1.5,
        spanGaps: false,
        points: { show: s.t.length < 40, size: 4, filter: (u, n) => (s.t.length < 40 ? null : lonely(u.data[n])) },
        label: s.label,
      },
    );
    bands.push({ series: [at, at + 1], fill: `${toHex(colour)}33` });
  });
  return { cols, series, bands };
}
// A value between two breaks makes no line: it is drawn as a dot.
function lonely(values) {
  const known = values.flatMap((v, at) => (v === undefined ? [] : [at]));
  return known.filter((at, k) => values[at] !== null && (values[known[k - 1]] ?? null) === null && (values[known[k + 1]] ?? null) === null);
}
function toHex(colour) {
  if (/^#[0-9a-f]{3}$/i.test(colour)) return `#${[...colour.slice(1)].map((c) => c + c).join('')}`;
  return colour;
}

function range(data) {
  return (u, low, high) => {
    if (low === null || high === null) return [0, 1];
    if (data.unit === '%') return [0, 100];
    const top = Math.max(high, ...data.limits.filter((l) => l.value < high * 2.5).map((l) => l.value));
    return [Math.min(0, low), top > 0 ? top * 1.08 : 1];
  };
}

function draw(box, data) {
  const plot = box.querySelector('.plot');
  plot.replaceChildren();
  box.querySelector('.how').textContent = data.how;
  if (!data.series.some((s) => s.t.length)) {
    const empty = document.createElement('p');
    empty.className = 'empty';
    empty.textContent = 'No values in this time.';
    plot.append(empty);
    box.querySelector('.legend tbody').replaceChildren();
    return;
  }
  const { cols, series, bands } = columns(data);
  box._cols = cols;
  const axis = {
    stroke: cssValue('--soft'),
    grid: { stroke: cssValue('--line'), width: 1 },
    ticks: { show: false },
    font: '11px "Atkinson Next"',
  };
  const chart = new uPlot(
    {
      width: plot.clientWidth,
      height: plot.clientHeight,
      legend: { show: false },
      cursor: { sync: { key: 'owl' }, y: false, points: { size: 6 }, drag: { x: true, y: false } },
      scales: { x: { time: true, range: () => [data.from, data.to] }, y: { range: range(data) } },
      series,
      bands,
      axes: [
        { ...axis, size: 26, space: 62, values: hours(data) },
        { ...axis, size: 64, space: 30, incrs: increments(data), values: (u, ticks) => ticks.map((v) => formatValue(v, data.unit)) },
      ],
      hooks: { draw: [overlay(data)], setCursor: [(u) => legend(box, data, u.cursor.idx)] },
    },
    cols,
    plot,
  );
  box._chart = chart;
  legend(box, data, null);
}
function hours(data) {
  const days = data.to - data.from > 86400 * 2.5;
  const form = new Intl.DateTimeFormat(
    undefined,
    days ? { month: 'short', day: 'numeric' } : { hour: '2-digit', minute: '2-digit', hour12: false },
  );
  return (u, ticks) => ticks.map((t) => form.format(new Date(t * 1000)));
}
function increments(data) {
  if (data.base !== 1024) return undefined;
  const out = [];
  for (let unit = 1; unit < 2 ** 55; unit *= 1024) for (const k of [1, 2, 4, 8, 16, 32, 64, 128, 256, 512]) out.push(unit * k);
  return out;
}

// The legend is a table of last, lowest, average and highest; under the
// cursor it shows the values there.
function legend(box, data, at) {
  const body = box.querySelector('.legend tbody');
  body.replaceChildren(
    ...data.series.map((s, i) => {
      const row = document.createElement('tr');
      const name = document.createElement('td');
      const swatch = document.createElement('span');
      swatch.className = `swatch s${i % 8}`;
      name.append(swatch, s.label);
      row.append(name);
      const figures = at === null || at === undefined ? [s.last, s.lowest, s.average, s.highest] : under(box._cols, i, at);
      figures.forEach((v) => {
        const cell = document.createElement('td');
        cell.textContent = formatValue(v, data.unit);
        row.append(cell);
      });
      return row;
    }),
  );
  box.querySelector('.legend .first').textContent =
    at === null || at === undefined ? 'last' : new Date(box._cols[0][at] * 1000).toLocaleTimeString(undefined, { hour12: false });
}

function under(cols, line, at) {
  const [max, min, avg] = cols.slice(1 + 3 * line, 4 + 3 * line).map((c) => c[at]);
  return [avg, min, avg, max];
}

async function load(box) {
  if (box._busy) return;
  box._busy = true;
  try {
    const answer = await fetch(box.dataset.chart, { headers: { Accept: 'application/json' } });
    if (!answer.ok) throw new Error(answer.status);
    box._data = await answer.json();
    draw(box, box._data);
  } catch (problem) {
    box.querySelector('.how').textContent = `could not be loaded (${problem.message})`;
  } finally {
    box._busy = false;
  }
}
function loadAll(root) {
  root.querySelectorAll('[data-chart]').forEach((box) => {
    if (!box._data) load(box);
  });
}
document.addEventListener('DOMContentLoaded', () => loadAll(document));
document.addEventListener('htmx:afterSettle', (event) => loadAll(event.target));
document.addEventListener('owl:theme', () =>
  document.querySelectorAll('[data-chart]').forEach((box) => {
    if (box._data) draw(box, box._data);
  }),
);
let resizing;
addEventListener('resize', () => {
  clearTimeout(resizing);
  resizing = setTimeout(
    () =>
      document.querySelectorAll('[data-chart]').forEach((box) => {
        if (box._data) draw(box, box._data);
      }),
    120,
  );
});
// Fresh values: short ranges are read again while the page is looked at.
setInterval(() => {
  if (document.hidden) return;
  document.querySelectorAll('[data-chart][data-live]').forEach(load);
}, 30000);
