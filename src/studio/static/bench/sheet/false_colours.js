// A colour for every piece, to tell which is which.

/** A colour of its own for every piece (r, g, b, amount), the same at every look; covers and other copies striped. */
export function flatColour(item) {
  let number = 0;
  for (const letter of item.part) number = (number * 31 + letter.charCodeAt(0)) % 997;
  const hue = ((number * 137.508) % 360) / 60; // the golden angle keeps neighbours apart
  const part = (shift) => 0.25 + 0.6 * Math.min(Math.max(Math.abs(((hue + shift) % 6) - 3) - 1, 0), 1);
  return [part(0), part(4), part(2), item.variant === 'full' ? 1 : 2];
}
