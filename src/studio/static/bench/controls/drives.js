// What a lever, or the turn of a bone, drives: channels, each by a curve through points.

import { bench } from '../page/bench.js';
import { parted } from '../page/address.js';

/** What of the figure can be driven, bones first, each with what it is to the quantities. */
function things() {
  const { figure } = bench.page;
  const handles = figure.warps.flatMap((warp) =>
    warp.handles.map((one, k) => ({ id: one.id, name: calledIn(warp, one, k) })),
  );
  const some = [
    ['bone', figure.bones],
    ['lever', figure.levers],
    ['shape', figure.shapes],
    ['reach', figure.reaches],
    ['group', figure.groups],
    ['part', figure.parts],
    ['handle', handles],
  ];
  return some.flatMap(([kind, all]) => all.map(({ id, name }) => ({ kind, id, name })));
}

/** What a handle of a warp is called, as poses told from outside call it (kunstgriff/figure/warps.py). */
function calledIn(warp, handle, place) {
  if (handle.name) return `${warp.name} ${handle.name}`;
  if (warp.kind !== 'lattice') return `${warp.name} ${place + 1}`;
  return `${warp.name} ${(place % warp.columns) + 1},${Math.floor(place / warp.columns) + 1}`;
}

/** A channel in words: "near ear: turn". What is no bone says what it is, since names may be the same. */
function wordsOf({ kind, name }, word) {
  return `${name}${['bone', 'lever', 'shape', 'reach'].includes(kind) ? '' : ` (${kind})`}: ${word}`;
}

export function channelWords(address) {
  const [ref, name] = parted(address);
  const thing = things().find(({ id }) => id === ref) || { kind: 'bone', name: ref };
  return wordsOf(thing, bench.posing.quantity(name).word);
}

/** Points as they are typed: "-1: -12, 1: 20". */
function pointsOf(text) {
  return text
    .split(/[,;]/)
    .filter((one) => one.trim())
    .map((one) => one.split(':').map((number) => (number.trim() === '' ? NaN : Number(number))));
}

export const drives = {
  channel: '',
  points: '1: 20',
  axis: 'y',
  /** What drives: the chosen lever, or else the turn of the chosen bone. */
  get source() {
    if (bench.levers.one) return bench.levers.one;
    return bench.reaches.one || bench.correctives.target ? null : bench.selection.oneBone;
  },
  get title() {
    if (!this.source) return '';
    return bench.levers.one ? `What ${this.source.name} drives` : `What the turn of ${this.source.name} drives`;
  },
  get rows() {
    if (!this.source) return [];
    if (bench.levers.one) return bench.levers.axes.flatMap(({ way, rest, drives: some }) => some.map((one) => this.row(way, rest, one))); // prettier-ignore
    const known = bench.page.figure.by_turns.find(({ bone }) => bone === this.source.id);
    return known ? known.drives.map((one) => this.row('y', 0, one)) : [];
  },
  row(way, rest, { channel, knots, smooth }) {
    const shown = knots.filter(({ at, by }) => at || by);
    const round = (value) => Math.round(value * 1000) / 1000;
    return {
      key: `${way} ${channel}`,
      id: `drive-${way}-${channel}`,
      way,
      channel,
      smooth,
      words: channelWords(channel),
      removeWords: `Drive ${channelWords(channel)} no more`,
      points: shown.map(({ at, by }) => `${round(at + rest)}: ${round(by)}`).join(', '),
    };
  },
  /** What can be driven. */
  get channels() {
    if (!this.source) return [];
    const names = Object.entries(bench.page.state.quantities);
    return things().flatMap((thing) =>
      names
        .filter(([, { of }]) => of.includes(thing.kind))
        .map(([name, { word }]) => ({ address: `${thing.id}.${name}`, words: wordsOf(thing, word) })),
    );
  },
  set(row, points, smooth = row.smooth) {
    const by = this.source.id;
    bench.history.edit({ kind: 'drive', by, axis: row.way, channel: row.channel, points: pointsOf(points), smooth });
  },
  remove(row) {
    this.set(row, '');
  },
  /** The axis that a new one is by: the only one, or that which was chosen. */
  get way() {
    const ways = bench.levers.one ? bench.levers.axes.map(({ way }) => way) : ['y'];
    return ways.includes(this.axis) ? this.axis : ways[0];
  },
  add() {
    const chosen = this.channels.find(({ words }) => words === this.channel.trim());
    if (!chosen) {
      bench.page.warn(`There is no “${this.channel.trim()}” to drive; choose one of the list.`);
      return;
    }
    this.set({ way: this.way, channel: chosen.address }, this.points, true);
    this.channel = '';
  },
  /** The ways the chosen lever is off its rest, by which it can be taught. */
  get lessons() {
    return bench.levers.axes
      .filter(({ now, rest }) => now !== rest)
      .map((one) => ({ key: one.way, way: one.way, at: one.now, words: this.lessonWords(one) }));
  },
  lessonWords({ way, now }) {
    const both = bench.levers.axes.length > 1;
    return `Learn this pose at ${both ? `${way === 'x' ? 'across' : 'up and down'} ` : ''}${now}`;
  },
  get learns() {
    return Object.keys(bench.posing.pose.channels).some((address) => !address.startsWith(`${bench.levers.chosen}.`));
  },
  /** What the lever shall show where it stands is what is posed now; it is then the lever's and no more the pose's. */
  teach({ way, at }) {
    const pose = JSON.parse(JSON.stringify(bench.posing.pose));
    this.taught = { lever: bench.levers.chosen, drives: JSON.stringify(bench.levers.one[way].drives), way };
    bench.history.edit({ kind: 'teach_lever', lever: bench.levers.chosen, axis: way, at, pose });
  },
  taught: null,
  /** A new state of the figure: what a lever has learned is taken out of the pose. */
  taken() {
    const { taught } = this;
    const lever = taught && bench.levers.all.find(({ id }) => id === taught.lever);
    if (!lever || JSON.stringify(lever[taught.way].drives) === taught.drives) return;
    this.taught = null;
    bench.posing.keepChannels((id) => id === lever.id);
    if (bench.posing.posed) bench.posing.sendPose();
  },
};
