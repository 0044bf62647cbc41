// Drafts that are typed on one page for longer, such as of a kit.
'use strict';

// A draft is not lost unasked: who leaves a page with changes in it is asked, and Enter in one of its fields does not
// send it all.
let unsaved = false;
document.addEventListener('input', (event) => {
  const { form, name } = event.target;
  if (form?.matches('[data-draft]') && (name === 'document' || name.startsWith('f.'))) unsaved = true;
});
document.addEventListener('keydown', (event) => {
  if (event.key === 'Enter' && event.target.matches('[data-draft] input')) event.preventDefault();
});
document.addEventListener('htmx:beforeRequest', (event) => {
  const act = String(event.detail.requestConfig.parameters?.act ?? 'open');
  if (event.target.closest('[data-draft]') && !/^(open|file)/.test(act)) unsaved = true;
});
document.addEventListener('htmx:beforeOnLoad', (event) => {
  if (event.detail.xhr.getResponseHeader('HX-Redirect')) unsaved = false;
});
window.addEventListener('beforeunload', (event) => {
  if (unsaved) event.preventDefault();
});
