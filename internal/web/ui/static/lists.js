// Lists: their columns, and what is searched for in them.
'use strict';

// Which columns of a list are hidden is the person's choice, kept in this browser by their
// titles. The first one that has a title names the row, and stays.
const heads = (table) => [...table.tHead.rows[0].cells];
function hidden(list) {
  try {
    return new Set(JSON.parse(localStorage.getItem(`columns of ${list}`) ?? '[]'));
  } catch {
    return new Set();
  }
}
function applyColumns() {
  document.querySelectorAll('[data-columns]').forEach((menu) => {
    const list = menu.dataset.columns;
    const without = hidden(list);
    byId(list)
      ?.querySelectorAll('table.list')
      .forEach((table) =>
        heads(table).forEach((head, i) => table.classList.toggle(`without-${i + 1}`, without.has(head.textContent.trim()))),
      );
    menu.classList.toggle('some', without.size > 0);
  });
}
function offerColumns() {
  document.querySelectorAll('[data-columns]').forEach((menu) => {
    const list = menu.dataset.columns;
    const table = byId(list)?.querySelector('table.list');
    menu.hidden = !table;
    if (!table) return;
    const titles = heads(table)
      .map((head) => head.textContent.trim())
      .filter(Boolean);
    const ticks = titles.slice(menu.dataset.stay ?? 1).map((title, i) => {
      const tick = Object.assign(document.createElement('input'), { type: 'checkbox', className: 'form-check-input', id: `${list}-${i}` });
      tick.checked = !hidden(list).has(title);
      tick.addEventListener('change', () => {
        const without = hidden(list);
        if (tick.checked) without.delete(title);
        else without.add(title);
        localStorage.setItem(`columns of ${list}`, JSON.stringify([...without]));
        applyColumns();
      });
      const label = Object.assign(document.createElement('label'), { htmlFor: tick.id, textContent: title });
      const line = Object.assign(document.createElement('div'), { className: 'form-check' });
      line.append(tick, label);
      return line;
    });
    menu.querySelector('.body').replaceChildren(...ticks);
  });
  applyColumns();
}
document.addEventListener('DOMContentLoaded', offerColumns);
document.addEventListener('htmx:afterSettle', applyColumns);

// What is searched for was sent while it was typed. Sent once more when the field is left, the answer would take away
// the link on which somebody is just pressing.
document.addEventListener(
  'change',
  (event) => {
    if (event.target.matches('form[role=search] input[type=search]')) event.stopPropagation();
  },
  true,
);
