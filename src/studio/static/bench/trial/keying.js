// Keys set, taken out, moved and eased: by themselves when something is posed, or for what is asked for.

import { bench } from '../page/bench.js';
import { parted } from '../page/address.js';

const WAIT = 400; // ms after the last change of a pose until keys are set by themselves
const STILL = 1e-6;

const restOf = (address) => bench.posing.quantity(parted(address)[1]).rest;

/** What some channels are that were otherwise before. */
function otherwise(before, now) {
  const value = (channels, address) => (channels[address] === undefined ? restOf(address) : channels[address]);
  const entries = [...new Set([...Object.keys(before), ...Object.keys(now)])]
    .filter((address) => Math.abs(value(now, address) - value(before, address)) > STILL)
    .map((address) => [address, value(now, address)]);
  return Object.fromEntries(entries);
}

export const keying = {
  byThemselves: true,
  base: {}, // the pose of the motion on the frame worked on
  timer: 0,
  get way() {
    const ways = this.chosenKeys.map(({ way }) => (Array.isArray(way) ? way.join(', ') : way));
    return ways.length && ways.every((one) => one === ways[0]) ? ways[0] : '';
  },
  /** The chosen keys, each with its channel, frame and how it goes on. */
  get chosenKeys() {
    const { one } = bench.motions;
    if (!one) return [];
    return one.tracks.flatMap(({ channel, at, ways }) =>
      at
        .map((frame, k) => ({ channel, frame, way: ways[k], key: `${channel}@${frame}` }))
        .filter(({ key }) => bench.strip.chosen.includes(key)),
    );
  },
  get chosenWords() {
    const { length } = this.chosenKeys;
    return length === 1 ? 'One key is chosen' : `${length} keys are chosen`;
  },
  /** A pose of the motion comes onto the sheet; what was posed otherwise since it was asked for stays. */
  show(pose, before, kept = null) {
    clearTimeout(this.timer);
    this.base = { ...pose.channels };
    bench.posing.posed = true;
    bench.posing.pose = { channels: { ...pose.channels, ...otherwise(before, bench.posing.pose.channels) } };
    // a frame that was played is shown as it was, springs and all
    if (kept && !Object.keys(this.changed).length) bench.sheet.showFrame(kept);
    else bench.posing.sendPose();
  },
  /** What is posed otherwise than the motion says on this frame. */
  get changed() {
    return otherwise(this.base, bench.posing.pose.channels);
  },
  /** What the live socket is asked for beside a pose: the frame worked on as playing comes to it, where nothing is
   * posed otherwise and springs are to be seen. */
  get frameAsked() {
    const { one } = bench.motions;
    const springy = bench.springs.live && bench.springs.any;
    if (!one || !springy || !bench.strip.shown || bench.steps.live || Object.keys(this.changed).length)
      return undefined;
    return { motion: one.name, number: bench.strip.frame };
  },
  /** The pose on the sheet changed: a while after the last change its keys are set, where that is wanted. */
  posed() {
    clearTimeout(this.timer);
    if (!this.byThemselves || !bench.strip.shown || !bench.motions.one || bench.playing.playing || bench.steps.live)
      return;
    this.timer = setTimeout(() => this.keyChanged(), WAIT);
  },
  keyChanged() {
    const channels = this.changed;
    const addresses = Object.keys(channels);
    if (!addresses.length) return;
    const tracked = new Set(bench.motions.one.tracks.map(({ channel }) => channel));
    const fresh = addresses.filter((address) => !tracked.has(address));
    if (bench.strip.frame > 0 && fresh.length) {
      // what has its first keys goes there from where it was
      const before = Object.fromEntries(fresh.map((address) => [address, restOf(address)]));
      this.key(before, 0);
    }
    this.key(channels);
  },
  /** Keys for what is selected, or for all that has any, as it is posed. */
  keyAll() {
    const { bones, parts } = bench.selection;
    const wanted = new Set([...bones, ...parts]);
    const tracked = bench.motions.one.tracks.map(({ channel }) => channel);
    const posed = Object.keys(bench.posing.pose.channels);
    const ofWanted = (address) => !wanted.size || wanted.has(parted(address)[0]);
    const addresses = [...new Set([...tracked, ...posed])].filter(ofWanted);
    for (const id of bones) if (!addresses.some((one) => one.startsWith(`${id}.`))) addresses.push(`${id}.turn`);
    const named = addresses.map((address) => [address, bench.posing.channel(...parted(address))]);
    if (named.length) this.key(Object.fromEntries(named));
    else bench.page.warn('Choose what shall get a key, or pose it first.');
  },
  key(channels, at = bench.strip.frame) {
    if (at === bench.strip.frame) this.base = { ...this.base, ...channels };
    bench.history.edit({ kind: 'set_keys', motion: bench.motions.one.id, at, pose: { channels } });
  },
  /** An edit for the keys that are chosen. */
  forChosen(kind, more) {
    const keys = this.chosenKeys.map(({ channel, frame }) => [channel, frame]);
    bench.history.edit({ kind, motion: bench.motions.one.id, keys, ...more });
  },
  remove() {
    if (!this.chosenKeys.length) return false;
    this.forChosen('lift_keys', {});
    bench.strip.chosen = [];
    return true;
  },
  ease(way) {
    this.forChosen('ease_keys', { way });
  },
  /** Chosen keys go so many frames later. */
  move(by) {
    const after = this.chosenKeys.map(({ channel, frame }) => `${channel}@${frame + by}`);
    this.forChosen('move_keys', { by });
    bench.strip.chosen = after;
  },
  closeLoop() {
    bench.history.edit({ kind: 'close_loop', motion: bench.motions.one.id });
  },
};
