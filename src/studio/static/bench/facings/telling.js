// A pose as it is told on all facings alike, and as it is seen on one of them.

import { parted } from '../page/address.js';

/**
 * @typedef {{ mirrored: boolean, flipped: string[], otherSides: Object<string, string>, oneWay: string[] }} Told
 * @typedef {Object<string, number>} Channels
 * @typedef {Object<string, { mirrored: number }>} Quantities
 */

/**
 * @param {string} name
 * @param {Quantities} quantities
 */
const signOf = (name, quantities) => (quantities[name] ? quantities[name].mirrored : 1);

/**
 * The pose with all that is flipped on a facing turned the other way round.
 * @param {Channels} channels
 * @param {Told} told
 * @param {Quantities} quantities
 */
function flipped(channels, told, quantities) {
  const entries = Object.entries(channels).map(([address, value]) => {
    const [id, name] = parted(address);
    return [address, value * (told.flipped.includes(id) ? signOf(name, quantities) : 1)];
  });
  return Object.fromEntries(entries);
}

/**
 * The pose with its sides changed, as in a mirror.
 * @param {Channels} channels
 * @param {Told} told
 * @param {Quantities} quantities
 */
function mirrored(channels, told, quantities) {
  const entries = Object.entries(channels).map(([address, value]) => {
    const [id, name] = parted(address);
    const other = told.otherSides[id] || id;
    const there = `${other}.${name}`;
    const sign = signOf(name, quantities);
    const turned = told.oneWay.includes(there) ? 1 : sign;
    const once = told.flipped.includes(id) !== told.flipped.includes(other);
    return [there, value * turned * (once ? sign : 1)];
  });
  return Object.fromEntries(entries);
}

/**
 * What is told on all facings alike, of a pose as it is seen on one.
 * @param {Channels} channels
 * @param {Told} told
 * @param {Quantities} quantities
 */
export function meant(channels, told, quantities) {
  const drawn = told.mirrored ? mirrored(channels, told, quantities) : channels;
  return flipped(drawn, told, quantities);
}

/**
 * A pose as it is seen on a facing, of what is told on all alike.
 * @param {Channels} channels
 * @param {Told} told
 * @param {Quantities} quantities
 */
export function seenAs(channels, told, quantities) {
  const drawn = flipped(channels, told, quantities);
  return told.mirrored ? mirrored(drawn, told, quantities) : drawn;
}
