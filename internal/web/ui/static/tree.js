// The tree of places: a row is dragged onto another, or sent by keys.
'use strict';

{
  const rowsOf = (tree) => [...tree.querySelectorAll('tr[data-place]')];

  // below lets a place lie below another; the server answers with the whole tree.
  async function below(row, parent) {
    if (row.dataset.place === parent || row.dataset.parent === parent) return;
    const place = row.dataset.place;
    await htmx.ajax('POST', `/run/places/${place}/move`, { target: '#tree', swap: 'outerHTML', values: { parent } });
    document.querySelector(`tr[data-place="${place}"] a.go`)?.focus();
  }

  // stepIn puts a place below the one before it at the same depth.
  function stepIn(row) {
    const all = rowsOf(row.closest('[data-tree]'));
    for (let at = all.indexOf(row) - 1; at >= 0; at--) {
      const depth = Number(all[at].dataset.depth);
      if (depth < Number(row.dataset.depth)) return;
      if (depth === Number(row.dataset.depth)) {
        below(row, all[at].dataset.place);
        return;
      }
    }
  }

  // stepOut puts a place beside the one that it lies below.
  function stepOut(row) {
    const over = document.querySelector(`tr[data-place="${row.dataset.parent}"]`);
    if (over && over.dataset.parent !== '0') below(row, over.dataset.parent);
  }

  document.addEventListener('keydown', (event) => {
    const row = event.target.closest?.('tr[data-place][draggable]');
    if (!row || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === '>') {
      event.preventDefault();
      stepIn(row);
    }
    if (event.key === '<') {
      event.preventDefault();
      stepOut(row);
    }
  });

  let dragged = null;
  const target = (event) => (dragged ? event.target.closest?.('tr[data-place]') : null);
  document.addEventListener('dragstart', (event) => {
    dragged = event.target.closest?.('tr[data-place][draggable]') ?? null;
    if (dragged) event.dataTransfer.effectAllowed = 'move';
  });
  document.addEventListener('dragover', (event) => {
    const over = target(event);
    if (!over || over === dragged) return;
    event.preventDefault();
    document.querySelectorAll('tr.over').forEach((row) => row.classList.remove('over'));
    over.classList.add('over');
  });
  document.addEventListener('drop', (event) => {
    const over = target(event);
    if (!over) return;
    event.preventDefault();
    below(dragged, over.dataset.place);
  });
  document.addEventListener('dragend', () => {
    dragged = null;
    document.querySelectorAll('tr.over').forEach((row) => row.classList.remove('over'));
  });
}
