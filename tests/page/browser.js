// As much of a browser as what is tested here asks for; each test sets up its own.

/** A place to keep strings, as sessionStorage. */
export function storage() {
  const kept = new Map();
  return { getItem: (key) => kept.get(key) ?? null, setItem: (key, value) => kept.set(key, String(value)), kept };
}

/** A server that answers what it is told to, in order; notes what it was sent. */
export function server(...answers) {
  const sent = [];
  globalThis.document = { cookie: 'csrftoken=abc' };
  globalThis.fetch = async (url, options) => {
    sent.push({ url, body: options.body ? JSON.parse(options.body) : null, headers: options.headers });
    const answer = answers.shift();
    if (!answer) throw new TypeError('no connection');
    const { status = 200, data = {}, redirected = false, to = url } = answer;
    const json = async () => {
      if (data === undefined || data === 'unreadable') throw new SyntaxError('not JSON');
      return data;
    };
    return { ok: status < 400, status, redirected, url: to, json };
  };
  return sent;
}

/** Sockets that do what the test says; the newest last. */
export function sockets() {
  const made = [];
  globalThis.location = { protocol: 'http:', host: 'bench.test' };
  globalThis.WebSocket = class {
    static OPEN = 1;
    readyState = 0;
    sent = [];
    constructor(url) {
      this.url = url;
      made.push(this);
    }
    opens() {
      this.readyState = 1;
      this.onopen();
    }
    send(text) {
      this.sent.push(JSON.parse(text));
    }
    closes(code = 1006) {
      this.readyState = 3;
      this.onclose({ code });
    }
  };
  return made;
}

/** Whatever promises are on their way. */
export const settle = () => new Promise((done) => setImmediate(done));
