// The second view of the strip: values over time, keys and their handles dragged up, down and along.

import { bench } from '../page/bench.js';
import { channelWords } from '../controls/drives.js';
import { fetchJson } from '../page/api.js';
import { parted } from '../page/address.js';

const MOST = 8; // curves at once
const NEAR = 9; // px of the screen
const ROOM = 14; // px above the highest and below the lowest
const COLOURS = ['#1F6F68', '#A9781F', '#7A3B69', '#3C5A8A', '#8A4B2A', '#4B7A2A', '#5B6472', '#A03A5A'];
const EASES = {
  ease: [0.25, 0.1, 0.25, 1],
  'ease-in': [0.42, 0, 1, 1],
  'ease-out': [0, 0, 0.58, 1],
  'ease-in-out': [0.42, 0, 0.58, 1],
};

export const curves = {
  shown: false,
  of: '',
  data: null, // frames, and values by channel
  drag: null,
  size: [0, 0],
  /** The rows whose curves are drawn: of what is selected, else the first that come. */
  get tracks() {
    const { one } = bench.motions;
    if (!one) return [];
    const { bones, parts } = bench.selection;
    const wanted = new Set([...bones, ...parts]);
    const chosen = new Set(bench.strip.chosen.map((key) => key.split('@')[0]));
    const continuous = one.tracks.filter(({ ways, values }) => values.length > 1 && ways.some((way) => way !== 'hold'));
    const some = continuous.filter(({ channel }) => chosen.has(channel) || wanted.has(parted(channel)[0]));
    return (some.length ? some : continuous).slice(0, MOST);
  },
  get legend() {
    return this.tracks.map(({ channel }, k) => ({
      key: channel,
      words: channelWords(channel),
      style: { color: COLOURS[k] },
    }));
  },
  get wanted() {
    if (!this.shown || !bench.strip.shown || !bench.motions.one) return '';
    return [bench.motions.one.id, bench.page.state.seen, this.tracks.map(({ channel }) => channel).join(',')].join('/');
  },
  async follow() {
    const { wanted } = this;
    if (wanted === this.of) {
      this.draw();
      return;
    }
    this.of = wanted;
    if (!wanted) return;
    const [motion, seen, channels] = wanted.split('/');
    const answer = await fetchJson(
      `/bench/${bench.page.figureId}/motion-curves/${seen}/${motion}/?channels=${channels}`,
    );
    if (this.of !== wanted || !answer.ok) return;
    this.data = answer.data;
    this.draw();
  },
  /** From frame and value of a track to px of the canvas; each curve fills the height by itself. */
  place(channel, frame, value) {
    const values = this.data.values[channel] || [0];
    const [low, high] = [Math.min(...values), Math.max(...values)];
    const [width, height] = this.size;
    const share = high - low < 1e-9 ? 0.5 : (value - low) / (high - low);
    return [(frame / bench.strip.frames) * width, height - ROOM - share * (height - 2 * ROOM)];
  },
  /** How much of a track's value one px is. */
  perPx(channel) {
    const values = this.data.values[channel] || [0];
    const span = Math.max(...values) - Math.min(...values);
    return (span < 1e-9 ? bench.posing.quantity(parted(channel)[1]).high / 40 || 1 : span) / (this.size[1] - 2 * ROOM);
  },
  /** The two handles of the piece after a key, or none. */
  handlesOf(track, k) {
    const way = Array.isArray(track.ways[k]) ? track.ways[k] : EASES[track.ways[k]];
    if (!way || k + 1 >= track.at.length) return [];
    const [dt, dv] = [track.at[k + 1] - track.at[k], track.values[k + 1] - track.values[k]];
    return [0, 1].map((n) => ({
      n,
      way,
      from: this.place(track.channel, track.at[k + n], track.values[k + n]),
      at: this.place(track.channel, track.at[k] + way[2 * n] * dt, track.values[k] + way[2 * n + 1] * dv),
    }));
  },
  draw() {
    const canvas = document.querySelector('.times .curves canvas');
    if (!(canvas instanceof HTMLCanvasElement) || !this.shown || !this.data) return;
    const { width, height } = canvas.getBoundingClientRect();
    const ratio = window.devicePixelRatio;
    this.size = [width, height];
    [canvas.width, canvas.height] = [width * ratio, height * ratio];
    const context = canvas.getContext('2d');
    context.scale(ratio, ratio);
    const ink = getComputedStyle(canvas).color;
    const [here] = this.tracks.length ? this.place(this.tracks[0].channel, bench.strip.at, 0) : [0];
    Object.assign(context, { strokeStyle: '#A9781F', lineWidth: 1 });
    context.strokeRect(here, -1, 0, height + 2);
    this.tracks.forEach((track, n) => this.drawTrack(context, track, COLOURS[n], ink));
    if (this.drag) context.strokeRect(this.drag.to[0] - 4, this.drag.to[1] - 4, 8, 8);
  },
  drawTrack(context, track, colour, ink) {
    const values = this.data.values[track.channel];
    if (!values) return;
    Object.assign(context, { strokeStyle: colour, lineWidth: 1.6 });
    context.beginPath();
    values.forEach((value, k) =>
      context[k ? 'lineTo' : 'moveTo'](...this.place(track.channel, this.data.frames[k], value)),
    );
    context.stroke();
    track.at.forEach((frame, k) => {
      const key = `${track.channel}@${frame}`;
      const on = bench.strip.chosen.includes(key);
      const [x, y] = this.place(track.channel, frame, track.values[k]);
      if (on) {
        for (const { from, at } of this.handlesOf(track, k)) {
          Object.assign(context, { strokeStyle: ink, lineWidth: 1 });
          context.beginPath();
          context.moveTo(...from);
          context.lineTo(...at);
          context.stroke();
          context.beginPath();
          context.arc(...at, 4, 0, 7);
          context.stroke();
        }
      }
      Object.assign(context, { fillStyle: on ? ink : colour });
      context.fillRect(x - 3.5, y - 3.5, 7, 7);
    });
  },
  /** What lies at a place of the canvas: a handle of a chosen key, or a key. */
  hit(spot) {
    const near = (at) => Math.hypot(at[0] - spot[0], at[1] - spot[1]) <= NEAR;
    for (const track of this.tracks)
      for (const [k, frame] of track.at.entries()) {
        if (!bench.strip.chosen.includes(`${track.channel}@${frame}`)) continue;
        const handle = this.handlesOf(track, k).find(({ at }) => near(at));
        if (handle) return { track, k, handle };
      }
    for (const track of this.tracks)
      for (const [k, frame] of track.at.entries())
        if (near(this.place(track.channel, frame, track.values[k]))) return { track, k };
    return null;
  },
  spot(event) {
    const box = event.target.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  },
  press(event) {
    const from = this.spot(event);
    const found = this.data && this.hit(from);
    if (!found) {
      bench.strip.chosen = [];
      bench.strip.goTo(Math.round((from[0] / this.size[0]) * bench.strip.frames));
      return;
    }
    event.target.setPointerCapture(event.pointerId);
    const key = `${found.track.channel}@${found.track.at[found.k]}`;
    if (!found.handle && !bench.strip.chosen.includes(key))
      bench.strip.chosen = event.shiftKey ? [...bench.strip.chosen, key] : [key];
    this.drag = { ...found, key, from, to: from };
    this.draw();
  },
  move(event) {
    if (!this.drag) return;
    this.drag.to = this.spot(event);
    this.draw();
  },
  /** What was dragged is one edit, made when it is let go of. */
  release() {
    const { drag } = this;
    this.drag = null;
    if (!drag || !bench.page.mayEdit) return;
    const { track, from, to } = drag;
    const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
    if (Math.hypot(dx, dy) < 3) return;
    const by = (dx / this.size[0]) * bench.strip.frames;
    const more = -dy * this.perPx(track.channel);
    if (drag.handle) this.pull(drag, by, more);
    else {
      const moved = Math.round(by);
      const after = bench.strip.chosen.map((key) => `${key.split('@')[0]}@${Number(key.split('@')[1]) + moved}`);
      const alone =
        bench.keying.chosenKeys.length < 2 || bench.keying.chosenKeys.every(({ channel }) => channel === track.channel);
      bench.keying.forChosen('move_keys', { by: moved, more: alone ? Math.round(more * 1000) / 1000 : 0 });
      if (moved) bench.strip.chosen = after;
    }
  },
  pull({ track, k, handle }, by, more) {
    const [dt, dv] = [track.at[k + 1] - track.at[k], track.values[k + 1] - track.values[k]];
    const way = [...handle.way];
    const within = (value, low, high) => Math.round(Math.min(Math.max(value, low), high) * 1000) / 1000;
    way[2 * handle.n] = within(way[2 * handle.n] + by / dt, 0, 1);
    if (Math.abs(dv) > 1e-9) way[2 * handle.n + 1] = within(way[2 * handle.n + 1] + more / dv, -100, 100);
    bench.history.edit({ kind: 'ease_keys', motion: bench.motions.one.id, keys: [[track.channel, track.at[k]]], way });
  },
};
