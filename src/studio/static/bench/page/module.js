// What is there whatever the stage: history, selection, finder, findings, tree, tray.

import { bench } from './bench.js';
import { card } from './card.js';
import { finder } from './finder.js';
import { findings } from './findings.js';
import { history } from './history.js';
import { opening } from './opening.js';
import { page } from './page.js';
import { picking } from './picking.js';
import { selection } from './selection.js';
import { tray } from './tray.js';
import { tree } from './tree.js';

export const PAGE = {
  stores: { page, history, card, selection, picking, finder, findings, tree, tray, opening },
  actions: [
    { key: 'undo', word: 'Undo', keys: 'Ctrl-Z', also: 'back revert', act: () => bench.history.undo() },
    { key: 'redo', word: 'Redo', keys: 'Ctrl-Y', also: 'again', act: () => bench.history.redo() },
    {
      key: 'upTree',
      word: 'Select what is above in the tree',
      keys: 'PgUp',
      press: 'pageup',
      also: 'parent group',
      act: () => bench.picking.upTree(),
    },
    {
      key: 'downTree',
      word: 'Select what is below in the tree',
      keys: 'PgDn',
      press: 'pagedown',
      also: 'child',
      act: () => bench.picking.downTree(),
    },
    {
      key: 'forward',
      word: 'One step to the front in the draw order',
      keys: '+',
      press: '+',
      also: 'stack above raise',
      act: () => bench.picking.step(1),
    },
    {
      key: 'backward',
      word: 'One step to the back in the draw order',
      keys: '-',
      press: '-',
      also: 'stack below lower',
      act: () => bench.picking.step(-1),
    },
    { key: 'delete', word: 'Delete what is selected', keys: 'Delete', act: () => removeChosen() },
    { key: 'selectAll', word: 'Select all parts', keys: 'Ctrl-A', act: () => bench.selection.selectAll() },
    {
      key: 'alone',
      word: 'View the selected parts alone',
      keys: 'A',
      press: 'a',
      act: () => bench.picking.viewAlone(),
    },
    {
      key: 'library',
      word: 'Back to the library of figures',
      act: () => {
        location.href = '/figures/';
      },
    },
  ],
  watch(watch) {
    watch(
      () => bench.finder.finderWord,
      () => {
        bench.finder.finderAt = 0;
      },
    );
  },
  taken(state) {
    const bones = new Set(state.figure.bones.map((bone) => bone.id));
    const parts = new Set(state.figure.parts.map((part) => part.id));
    bench.selection.bones = bench.selection.bones.filter((id) => bones.has(id));
    bench.selection.parts = bench.selection.parts.filter((id) => parts.has(id));
    bench.picking.alone = bench.picking.alone.filter((id) => parts.has(id));
  },
};

/** Delete what is selected, as the stage at hand does. */
function removeChosen() {
  const { stage } = bench.page;
  if (!(stage.remove && stage.remove())) bench.bone.deleteBones();
}
