// The sheet: what is seen of it and how it is looked at.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { scene } from '../page/scene.js';
import { pointer } from './pointer.js';
import { sheet } from './sheet.js';
import { tools } from './tools.js';
import { select } from './tools/select.js';

export const SHEET = {
  stores: { sheet, pointer, tools },
  tools: { select },
  actions: [
    {
      key: 'fit',
      word: 'Fit the sheet into the window',
      keys: 'F',
      press: 'f',
      act: () => {
        engine.camera.fit(scene.figure.sheet);
        bench.sheet.redraw();
      },
    },
    { key: 'select', word: 'Select or turn', keys: 'S', press: 's', act: () => bench.tools.useTool('select') },
    {
      key: 'bones',
      word: 'Show or hide the bones',
      keys: 'B',
      press: 'b',
      act: () => {
        bench.sheet.showBones = !bench.sheet.showBones;
      },
    },
    {
      key: 'clean',
      word: 'Look at the art alone, while the key is held',
      keys: 'H',
      also: 'hide bones grid preview',
      act: () => {},
    },
    {
      key: 'falseColours',
      word: 'Each piece in a colour of its own',
      keys: 'K',
      press: 'k',
      also: 'false colours stacking order covers',
      act: () => {
        bench.sheet.falseColours = !bench.sheet.falseColours;
        bench.sheet.redraw();
      },
    },
    {
      key: 'mirrorView',
      word: 'Look at it mirrored',
      keys: 'X',
      press: 'x',
      also: 'flip view',
      act: () => {
        bench.sheet.viewMirrored = !bench.sheet.viewMirrored;
        bench.sheet.resize();
      },
    },
    {
      key: 'turnView',
      word: 'Look at it turned by 15°',
      keys: 'T',
      press: 't',
      also: 'rotate view',
      act: () => {
        bench.sheet.viewTurn = (bench.sheet.viewTurn + 15) % 360;
        bench.sheet.resize();
      },
    },
    {
      key: 'straightView',
      word: 'Look at it upright again',
      keys: 'Shift-T',
      press: 'shift+t',
      also: 'reset view',
      act: () => {
        bench.sheet.viewTurn = 0;
        bench.sheet.viewMirrored = false;
        bench.sheet.resize();
      },
    },
    {
      key: 'lamplight',
      word: 'Change between daylight and lamplight',
      act: () => {
        window.switchTheme();
        bench.sheet.redraw();
      },
    },
  ],
  taken() {
    if (!bench.posing.posed) bench.sheet.showRest();
  },
  watch(watch) {
    const shown = [
      () => bench.selection.bones,
      () => bench.selection.parts,
      () => bench.page.stageKey,
      () => bench.mesh.showMesh,
      () => bench.weights.showWeights,
      () => bench.sheet.showBones,
      () => bench.posing.posed,
      () => bench.tools.toolKey,
      () => bench.picking.alone,
      () => bench.bone.onlyOwn,
      () => bench.zones.zones,
    ];
    for (const read of shown) watch(read, () => bench.sheet.redraw());
    const room = [() => bench.trying.stripShown, () => bench.trying.stripTwo, () => bench.findings.findingsOpen];
    const anew = () => {
      bench.sheet.resize();
      bench.sheet.redraw();
    };
    for (const read of room) watch(read, () => bench.nextTick(anew));
  },
};
