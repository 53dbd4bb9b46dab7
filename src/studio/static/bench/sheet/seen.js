// Whether a picture is wanted anew: only where what it depends on is not what it was when it was painted last.

export class Seen {
  constructor() {
    this.before = null;
  }

  /** Whether any of these is another than the last time it was asked. */
  changed(...now) {
    const { before } = this;
    this.before = now;
    return !before || now.length !== before.length || now.some((one, place) => one !== before[place]);
  }

  /** What was painted is gone. */
  forget() {
    this.before = null;
  }
}

const LONGEST = 400; // ms that anything waits for a picture
let waiting = null;

/** Do something once the posed frame that is on its way is on the screen, or the picture at rest. */
export function oncePainted(posed, then) {
  let done = false;
  const once = () => {
    if (!done) then();
    done = true;
  };
  const after = () => requestAnimationFrame(() => setTimeout(once));
  if (posed) waiting = after;
  else after();
  setTimeout(once, LONGEST);
}

/** A posed frame is handed to the screen. */
export function framed() {
  if (waiting) waiting();
  waiting = null;
}
