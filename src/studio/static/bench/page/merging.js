// Only what changed is told to whoever watches: a new state is taken over in place, and rows that say what they said
// before stay the same. A name changed in a figure of a hundred parts then costs what one row costs, not the page.

const isThing = (one) => one !== null && typeof one === 'object';

/** Whether two have the same keys in the same order. */
function keyedAlike(one, other) {
  if (Array.isArray(one) !== Array.isArray(other)) return false;
  if (Array.isArray(one)) return true;
  const [keys, others] = [Object.keys(one), Object.keys(other)];
  return keys.length === others.length && keys.every((key, place) => key === others[place]);
}

/** Whether two values as JSON knows them are equal. */
export function same(one, other) {
  if (one === other) return true;
  if (!isThing(one) || !isThing(other) || !keyedAlike(one, other) || one.length !== other.length) return false;
  return Object.keys(one).every((key) => same(one[key], other[key]));
}

/** Make `kept` equal to `next`; `raw` gives what lies behind something watched. */
export function merge(kept, next, raw = (one) => one) {
  const before = raw(kept);
  if (Array.isArray(next) && before.length > next.length) kept.length = next.length;
  for (const key of Object.keys(next)) {
    const [old, now] = [before[key], next[key]];
    if (same(old, now)) continue;
    if (isThing(old) && isThing(now) && keyedAlike(old, now)) merge(kept[key], now, raw);
    else kept[key] = now;
  }
}

/** Rows just worked out, with those of `before` in place of ones that say the same. */
function kept(rows, before) {
  const known = new Map(before.map((row, place) => [keyOf(row, place), row]));
  return rows.map((row, place) => {
    const old = known.get(keyOf(row, place));
    return same(old, row) ? old : row;
  });
}

function keyOf(row, place) {
  return isThing(row) ? (row.key ?? row.id ?? place) : place;
}

/** A store whose lists keep the rows that say what they said before. */
export function steady(store) {
  for (const [name, own] of Object.entries(Object.getOwnPropertyDescriptors(store))) {
    if (!own.get) continue;
    let before = [];
    const get = function get() {
      const found = own.get.call(this);
      if (!Array.isArray(found)) return found;
      before = kept(found, before);
      return before;
    };
    Object.defineProperty(store, name, { ...own, get });
  }
  return store;
}
