// Words that may stand in a text field, beside it: typing narrows them, pressing one writes it.
const field = (list) => document.getElementById(list.dataset.completes);

// What stands before the cursor of the word that is typed.
function begun(text) {
  return /[\w.]*$/.exec(text.value.slice(0, text.selectionStart))[0];
}

function narrow(list) {
  const text = field(list);
  const part = document.activeElement === text ? begun(text).toLowerCase() : '';
  const rows = [...list.querySelectorAll('[data-word]')];
  const fit = rows.filter((row) => row.dataset.word.toLowerCase().includes(part));
  rows.forEach((row) => {
    row.hidden = fit.length > 0 && !fit.includes(row);
  });
}

// A name goes in the place of what was begun of it; a value is written as it is.
function write(text, word, name) {
  const end = text.selectionStart;
  const start = name ? end - begun(text).length : end;
  text.setRangeText(word, start, text.selectionEnd, 'end');
  text.focus();
  text.dispatchEvent(new Event('input', { bubbles: true }));
}

document.addEventListener('input', (event) => {
  document.querySelectorAll('[data-completes]').forEach((list) => {
    if (field(list) === event.target) narrow(list);
  });
});
document.addEventListener('click', (event) => {
  const button = event.target.closest('[data-insert]');
  const list = button?.closest('[data-completes]');
  if (list) write(field(list), button.dataset.insert, !button.closest('.wordvalues'));
});
// Ctrl and the space bar write the first that is left.
document.addEventListener('keydown', (event) => {
  if (!event.ctrlKey || event.code !== 'Space') return;
  document.querySelectorAll('[data-completes]').forEach((list) => {
    if (field(list) !== event.target) return;
    event.preventDefault();
    list.querySelector('[data-word]:not([hidden]) [data-insert]')?.click();
  });
});
