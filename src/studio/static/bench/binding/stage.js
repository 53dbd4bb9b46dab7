// The stage that ties drawings to bones.

import { bench } from '../page/bench.js';
import { binding } from './binding.js';
import { fan } from './fan.js';
import { influences } from './influences.js';
import { mesh } from './mesh.js';
import { growing } from './growing.js';
import { sets } from './sets.js';
import { taking } from './taking.js';
import { brush } from './tools/brush.js';
import { gradient } from './tools/gradient.js';
import { spot } from './tools/spot.js';
import { vertices } from './tools/vertices.js';
import { zone } from './tools/zone.js';
import { weights } from './weights.js';
import { zones } from './zones.js';

/** Go to this stage and take up one of its tools. */
function take(key) {
  bench.page.goTo('binding');
  bench.tools.useTool(key);
}

export const BINDING = {
  key: 'binding',
  word: 'Binding',
  stores: { binding, influences, weights, mesh, zones, fan, sets, growing, taking },
  tools: { brush, gradient, vertices, zone, spot },
  bar: (tool, view) => [
    ...(bench.posing.posed ? [] : [tool('brush'), tool('vertices')]),
    ...(['gradient', 'zone'].includes(bench.tools.toolKey) ? [tool(bench.tools.toolKey)] : []),
    tool('spot'),
    view('mesh', 'Mesh', bench.mesh.showMesh),
    view('weights', 'Weights', bench.weights.showWeights),
  ],
  actions: [
    {
      key: 'bindFigure',
      word: 'Bind the whole figure',
      also: 'skin weights mesh attach rig',
      act: () => {
        bench.page.goTo('binding');
        bench.binding.bindFigure();
      },
    },
    {
      key: 'tuneAll',
      word: 'Tune every joint',
      also: 'elbow knee bend zone',
      act: () => {
        bench.page.goTo('binding');
        bench.zones.tuneAll();
      },
    },
    {
      key: 'nextDrawing',
      word: 'Show the next drawing of the set',
      keys: 'D',
      press: 'd',
      also: 'swap mouth hand alternate',
      act: () => bench.sets.next(),
    },
    {
      key: 'brush',
      word: 'Paint weights with the brush',
      keys: 'G',
      press: 'g',
      also: 'skin influence',
      act: () => take('brush'),
    },
    {
      key: 'vertices',
      word: 'Choose and move vertices',
      keys: 'V',
      press: 'v',
      also: 'mesh points',
      act: () => take('vertices'),
    },
    {
      key: 'mesh',
      word: 'Show or hide the mesh',
      keys: 'M',
      press: 'm',
      act: () => {
        bench.page.stageKey = 'binding';
        bench.mesh.showMesh = !bench.mesh.showMesh;
      },
    },
    {
      key: 'weights',
      word: 'Show or hide the weights',
      keys: 'W',
      press: 'w',
      act: () => {
        bench.page.stageKey = 'binding';
        bench.weights.showWeights = !bench.weights.showWeights;
      },
    },
    {
      key: 'readBends',
      word: 'Read every bend',
      also: 'check elbow width waves',
      act: () => {
        bench.page.goTo('binding');
        bench.selection.pickNothing();
        bench.fan.readBends();
      },
    },
  ],
  remove() {
    if (!bench.weights.vertices.length) return false;
    bench.mesh.removeVertices();
    return true;
  },
  watch(watch) {
    const bend = () => {
      bench.fan.fanBefore = null;
      bench.fan.loadFan();
      bench.zones.loadZones();
    };
    watch(() => bench.selection.bones, bend);
    watch(() => bench.page.stageKey, bend);
    const tinted = [
      () => bench.selection.bones,
      () => bench.weights.weightView,
      () => bench.weights.showWeights,
      () => bench.page.stageKey,
    ];
    for (const read of tinted) watch(read, () => bench.weights.loadTint());
    watch(
      () => bench.weights.vertices,
      () => {
        bench.weights.loadTable();
        bench.sheet.redraw();
      },
    );
    watch(
      () => bench.selection.parts,
      () => {
        bench.weights.vertices = [];
      },
    );
  },
  framed: (frame) => bench.sets.see(frame.amounts),
  taken() {
    const part = bench.influences.weightedPart;
    const count = part ? part.binding.mesh.vertex_count : 0;
    bench.weights.vertices = bench.weights.vertices.filter((one) => one < count);
    bench.zones.loadZones();
    bench.weights.loadTable();
    bench.weights.loadTint();
    bench.fan.loadFan();
  },
};
