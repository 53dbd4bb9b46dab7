// How a joint bends.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

export const NO_ZONE = {
  there: false,
  inner: 0,
  outer: 0,
  curve: 0,
  mix: 1,
  rows: 0,
  spacing: 0.25,
  width: 0,
  solved: false,
};

export const zones = {
  zones: [],
  get zoneNow() {
    return this.zones.length ? this.zones[0] : NO_ZONE;
  },
  get zoneWords() {
    if (!this.zones.length) return 'No weighted part bends at this joint.';
    const names = this.zones.map((one) => bench.page.partName(one.part)).join(', ');
    const px = Math.round(this.zoneNow.width);
    return `${names}; the limb is ${px} px wide here.`;
  },
  get zonePx() {
    const { inner, outer, width } = this.zoneNow;
    return { inner: Math.round(inner * width), outer: Math.round(outer * width) };
  },
  get tunedWords() {
    const before = bench.fan.fanBefore;
    if (!before || !bench.fan.fanRead) return '';
    const worst = (rows) => ({
      width: Math.min(...rows.map((one) => one.width_kept)),
      area: Math.min(...rows.map((one) => one.area_kept)),
      folded: Math.max(...rows.map((one) => one.folded)),
      off: Math.max(...rows.map((one) => Math.max(one.departs, one.waves))),
    });
    const [was, now] = [worst(before), worst(bench.fan.fanRead.readings)];
    const pc = (one) => `${Math.round(one * 100)} %`;
    return `Before and now, at the worst angle: width ${pc(was.width)} → ${pc(now.width)}, area ${pc(was.area)} → ${pc(now.area)}, folded ${was.folded} → ${now.folded}, outline off by ${was.off.toFixed(1)} → ${now.off.toFixed(1)} px`;
  },
  async loadZones() {
    const bone = bench.selection.oneBone;
    if (!bone || bench.page.stageKey !== 'binding') {
      this.zones = [];
      return;
    }
    const answer = await fetchJson(`/bench/${bench.page.figureId}/zone/${scene.revision}/${bone.id}/`);
    if (bench.selection.oneBone && bench.selection.oneBone.id === bone.id) {
      this.zones = answer.ok ? answer.data.zones : [];
      bench.sheet.redraw();
    }
  },
  setZone(name, value) {
    if (value === '') return;
    bench.history.edit({ kind: 'set_zone', bone: bench.selection.oneBone.id, [name]: Number(value) });
  },
  setZonePx(name, value) {
    bench.history.edit({
      kind: 'set_zone',
      bone: bench.selection.oneBone.id,
      [name]: Math.max(Number(value), 1),
      px: true,
    });
  },
  solveZone(solve) {
    bench.history.edit({ kind: 'set_zone', bone: bench.selection.oneBone.id, solve });
  },
  tuneJoint() {
    bench.history.edit({ kind: 'tune_joints', bones: [bench.selection.oneBone.id] });
    bench.binding.warnNot('Turning the joint through its range …');
  },
  tuneAll() {
    bench.history.edit({ kind: 'tune_joints' });
    bench.binding.warnNot('Turning every joint through its range …');
  },
  tuneParts() {
    bench.history.edit({ kind: 'tune_joints', parts: bench.selection.selectedParts() });
    bench.binding.warnNot('Turning the joints of this part …');
  },
};
