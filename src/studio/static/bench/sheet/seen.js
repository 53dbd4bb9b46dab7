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
