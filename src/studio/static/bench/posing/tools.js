// Poses copied, pasted, mirrored, and kept ones laid on by a share: on everything or on what is selected.

import { bench } from '../page/bench.js';
import { parted } from '../page/address.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

export const poseTools = {
  copied: null,
  share: 1,
  onlySelected: false,
  /** Whether a channel is of what is selected, the chosen control along, or anything where nothing is. */
  picked(address) {
    const selected = [...bench.selection.bones, ...bench.selection.parts, ...bench.slip.chosen];
    return !selected.length || selected.includes(parted(address)[0]);
  },
  get here() {
    return Object.fromEntries(Object.entries(bench.posing.pose.channels).filter(([address]) => this.picked(address)));
  },
  copy() {
    this.copied = this.here;
    bench.page.message = `${Object.keys(this.copied).length} values copied.`;
  },
  get mayPaste() {
    return Boolean(this.copied && Object.keys(this.copied).length);
  },
  paste() {
    this.lay(this.copied, 1, () => true);
  },
  /** Its like on the other side does what is done here, mirrored. */
  otherSide() {
    const channels = this.here;
    if (Object.keys(channels).length) return this.pasteMirrored(channels);
    bench.page.warn('Nothing of what is selected is posed.');
    return null;
  },
  async pasteMirrored(channels) {
    const path = `/bench/${bench.page.figureId}/mirror-pose/${scene.revision}/`;
    const body = JSON.stringify({ pose: { channels } });
    const answer = await fetchJson(path, { method: 'POST', body });
    if (answer.ok) this.lay(answer.data.pose.channels, 1, () => true);
    else bench.page.warn(answer.data.sentence);
  },
  /** The kept poses with their pictures. */
  get rows() {
    if (!bench.page.figure) return [];
    return bench.page.figure.poses.map(({ name }, number) => ({
      name,
      picture: `/bench/${bench.page.figureId}/pose/${bench.page.state.seen}/${number}.png`,
    }));
  },
  apply(name) {
    const kept = bench.page.figure.poses.find((one) => one.name === name).pose.channels;
    const wanted = {
      ...Object.fromEntries(Object.keys(bench.posing.pose.channels).map((one) => [one, null])),
      ...kept,
    };
    this.lay(wanted, Number(this.share), (address) => !this.onlySelected || this.picked(address));
  },
  /** Bring channels by a share to values (null: to rest), as far as they are meant; steps go over at half. */
  lay(values, share, meant) {
    if (!bench.posing.posed) bench.posing.turnOver();
    const channels = { ...bench.posing.pose.channels };
    for (const [address, value] of Object.entries(values)) {
      if (!meant(address)) continue;
      const [id, name] = parted(address);
      const { rest, stepped } = bench.posing.quantity(name);
      const there = value === null ? rest : value;
      const now = bench.posing.channel(id, name);
      channels[address] = stepped ? (share >= 0.5 ? there : now) : now + share * (there - now);
    }
    bench.posing.pose = { channels };
    bench.posing.sendPose();
  },
};
