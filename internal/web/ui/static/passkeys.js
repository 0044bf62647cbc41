'use strict';

// Makes and uses passkeys (WebAuthn). A button with data-passkey names the address of the
// ceremony: at …/begin we learn what to ask the device, and its answer goes to the address.
{
  const bytes = (text) => Uint8Array.from(atob(text.replaceAll('-', '+').replaceAll('_', '/')), (c) => c.charCodeAt(0));

  const text = (buffer) =>
    btoa(String.fromCharCode(...new Uint8Array(buffer)))
      .replaceAll('+', '-')
      .replaceAll('/', '_')
      .replaceAll('=', '');

  async function send(url, body) {
    const answer = await fetch(url, { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) });
    const told = await answer.text();
    if (answer.ok) return told ? JSON.parse(told) : {};
    throw new Error(answer.headers.get('Content-Type')?.includes('json') ? Object.values(JSON.parse(told))[0] : told);
  }

  function readied(options) {
    options.challenge = bytes(options.challenge);
    if (options.user) options.user.id = bytes(options.user.id);
    for (const list of ['excludeCredentials', 'allowCredentials']) {
      options[list] = options[list]?.map((c) => ({ ...c, id: bytes(c.id) })) ?? [];
    }
    return options;
  }

  function answered(credential) {
    const response = {};
    for (const part of ['clientDataJSON', 'attestationObject', 'authenticatorData', 'signature', 'userHandle']) {
      if (credential.response[part]) response[part] = text(credential.response[part]);
    }
    return {
      id: credential.id,
      rawId: text(credential.rawId),
      type: credential.type,
      response,
      clientExtensionResults: credential.getClientExtensionResults(),
    };
  }

  async function perform(button) {
    const url = button.dataset.passkey;
    const { publicKey } = await send(url + '/begin', {});
    const asked = { publicKey: readied(publicKey) };
    const credential = await (button.dataset.passkeyDoes === 'create'
      ? navigator.credentials.create(asked)
      : navigator.credentials.get(asked));
    const { to } = await send(url, {
      answer: answered(credential),
      name: button.form?.elements.name?.value ?? '',
      trust: button.form?.elements.trust?.checked ?? false,
      next: button.dataset.passkeyNext ?? '',
    });
    location.assign(to);
  }

  const buttons = () => document.querySelectorAll('[data-passkey]');

  // Passkeys belong to a name: where the page was reached by an address there are none.
  const possible = () => window.PublicKeyCredential && !/^[\d.]+$|:/.test(location.hostname);

  function show() {
    if (!possible()) return;
    for (const button of buttons()) button.hidden = false;
  }

  document.addEventListener('click', async (e) => {
    const button = e.target.closest('[data-passkey]');
    if (!button) return;
    const problem = button.parentElement.querySelector('[data-passkey-problem]');
    problem.hidden = true;
    button.disabled = true;
    try {
      await perform(button);
    } catch (error) {
      problem.textContent = error.name === 'NotAllowedError' ? 'It was not allowed, or took too long.' : error.message;
      problem.hidden = false;
      button.disabled = false;
    }
  });
  document.addEventListener('submit', (e) => {
    if (!e.target.matches('[data-passkey-form]')) return;
    e.preventDefault();
    e.target.querySelector('[data-passkey]').click();
  });
  document.addEventListener('htmx:load', show);
  show();
}
