// Talking to the server. Edits go one after another; one that could not be delivered is kept and sent again.

function cookie(name) {
  const found = document.cookie.split('; ').find((pair) => pair.startsWith(`${name}=`));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : '';
}

export async function fetchJson(url, options = {}) {
  const headers = { Accept: 'application/json', 'X-CSRFToken': cookie('csrftoken'), ...(options.headers || {}) };
  try {
    const answer = await fetch(url, { credentials: 'same-origin', ...options, headers });
    if (answer.redirected && answer.url.includes('/sign-in/')) {
      return {
        ok: false,
        status: 401,
        data: { sentence: 'You were signed out. Sign in again in another tab, then go on.' },
      };
    }
    const data = await answer.json().catch(() => ({ sentence: 'The server answered something unreadable.' }));
    return { ok: answer.ok, status: answer.status, data };
  } catch {
    return { ok: false, status: 0, data: { sentence: 'The server does not answer.' } };
  }
}

export function post(url, data) {
  return fetchJson(url, {
    method: 'POST',
    body: JSON.stringify(data),
    headers: { 'Content-Type': 'application/json' },
  });
}

/** A picture the server paints for what is posted: its address in this page, or the sentence why there is none. */
export async function fetchPicture(url, data) {
  const headers = { 'Content-Type': 'application/json', 'X-CSRFToken': cookie('csrftoken') };
  try {
    const answer = await fetch(url, {
      method: 'POST',
      credentials: 'same-origin',
      body: JSON.stringify(data),
      headers,
    });
    if (answer.ok) return { url: URL.createObjectURL(await answer.blob()) };
    return { sentence: (await answer.json()).sentence };
  } catch {
    return { sentence: 'The server does not answer.' };
  }
}

const RETRY = 2000; // ms

/** Edits of one figure, in order. `listener` hears `accepted(state)`, `refused(sentence)`, `caughtUp(state)`, `waiting(count)`. */
export class EditQueue {
  constructor(figureId, listener) {
    this.base = `/bench/${figureId}`;
    this.key = `edits-${figureId}`;
    this.listener = listener;
    this.pending = JSON.parse(sessionStorage.getItem(this.key) || '[]');
    this.sending = false;
    this.revision = 0;
    this.facing = 0; // the one that is looked at, from which answers tell the figure
  }

  add(path, edit) {
    this.pending.push({ path, edit, tries: 0 });
    this.store();
    this.work();
  }

  store() {
    sessionStorage.setItem(this.key, JSON.stringify(this.pending));
    this.listener.waiting(this.pending.length);
  }

  async work() {
    if (this.sending || !this.pending.length || !this.revision) return;
    this.sending = true;
    const next = this.pending[0];
    const answer = await post(`${this.base}/${next.path}/`, {
      base: this.revision,
      edit: next.edit,
      facing: this.facing,
    });
    this.sending = false;
    if (answer.ok) {
      this.pending.shift();
      this.revision = answer.data.revision;
      this.listener.accepted(answer.data);
    } else if (answer.status === 409) {
      // someone else was quicker: take over the newer figure and make the same edit on it, once
      this.revision = answer.data.state.revision;
      this.listener.caughtUp(answer.data.state);
      next.tries += 1;
      if (next.path !== 'edit' || next.tries > 3) {
        this.pending.shift();
        this.listener.refused(answer.data.sentence);
      }
    } else if ([0, 401, 503].includes(answer.status)) {
      this.listener.offline(answer.data.sentence);
      this.store();
      setTimeout(() => this.work(), RETRY);
      return;
    } else {
      this.pending.shift();
      this.listener.refused(answer.data.sentence);
    }
    this.store();
    this.work();
  }
}
