// What is pulled at on the posed sheet: vertices, those of lines alone, or handles of warps.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';
import { partsUnder } from '../warps/warps.js';
import { scene } from '../page/scene.js';

const round = (point) => point.map((one) => Math.round(one * 100) / 100);

export const pulling = {
  radius: 60, // px on the figure
  lines: false, // whether only lines are pulled
  shares: {}, // by part, how far a line runs at each of its vertices
  /** The warps over what is pulled at, whose handles can be pulled too. */
  get warps() {
    const parts = new Set(bench.correctives.parts);
    return bench.warps.all.filter((warp) => [...partsUnder(warp)].some((id) => parts.has(id)));
  },
  /** The vertices that can be pulled at: the first, how many, and by which share where lines alone are. */
  get ranges() {
    return bench.correctives.parts
      .filter((ref) => !this.lines || this.shares[ref])
      .map((ref) => [...scene.blocks[ref], this.lines ? this.shares[ref] : null]);
  },
  /** "handle grid 2,2" of the address of its channel. */
  handleWord(address) {
    const found = bench.handles.all.find(({ id }) => address.startsWith(`${id}.`));
    const warp = bench.warps.all.find(({ handles }) => handles.includes(found));
    return warp ? `handles of ${warp.name}` : 'a handle of another facing';
  },
  async setLines(on) {
    this.lines = on;
    this.shares = {};
    if (!on) return;
    const { revision } = bench.page.state;
    for (const ref of bench.correctives.parts) {
      const answer = await fetchJson(`/bench/${bench.page.figureId}/lines/${bench.page.state.seen}/${ref}/`);
      if (revision !== bench.page.state.revision) return;
      if (answer.ok) this.shares[ref] = answer.data.shares;
    }
  },
  /** Meshes may be others now. */
  taken() {
    if (this.lines) this.setLines(true);
  },
  get pose() {
    return JSON.parse(JSON.stringify(bench.posing.pose));
  },
  pull(start, by) {
    bench.history.edit({
      kind: 'pull',
      into: bench.correctives.target.id,
      pose: this.pose,
      parts: bench.correctives.parts,
      start: round(start),
      by: round(by),
      radius: Number(this.radius) || 60,
      lines: this.lines,
    });
    engine.pulling = null;
  },
  pullHandle(id, by) {
    bench.history.edit({
      kind: 'pull_handles',
      into: bench.correctives.target.id,
      pose: this.pose,
      handles: { [id]: round(by) },
    });
  },
};
