// The stage where the rig is made to act: motions with keys, on a time strip.

import { bench } from '../page/bench.js';
import { clips } from './clips.js';
import { curves } from './curves.js';
import { film } from './film.js';
import { feet } from './feet.js';
import { drawReference } from '../sheet/paper.js';
import { drawGhosts, ghosts } from './ghosts.js';
import { keying } from './keying.js';
import { motions } from './motions.js';
import { drawTipPath, tipPath } from './path.js';
import { proof } from './proof.js';
import { slips } from './slips.js';
import { sound } from './sound.js';
import { drawGround, steps } from './steps.js';
import { strip } from './strip.js';
import { stripRows } from './strip_rows.js';
import { swinging } from './swinging.js';

export const TRIAL = {
  key: 'trial',
  word: 'Trial',
  stores: {
    motions,
    strip,
    stripRows,
    slips,
    keying,
    feet,
    steps,
    clips,
    ghosts,
    curves,
    proof,
    sound,
    film,
    tipPath,
    swinging,
  },
  bar: (tool, view) => [tool('goal'), view('play', 'Play', bench.playing.playing)],
  bonesBehind: true,
  actions: [
    {
      key: 'makeMotion',
      word: 'Make a motion',
      also: 'animation walk act timeline',
      act: () => {
        bench.page.goTo('trial');
        bench.motions.make();
      },
    },
    {
      key: 'keyAll',
      word: 'Set keys for what is selected, or for all that has any',
      also: 'keyframe record',
      act: () => bench.strip.shown && bench.motions.one && bench.keying.keyAll(),
    },
    ...Array.from({ length: 9 }, (_, k) => ({
      key: `place${k + 1}`,
      word: `Place drawing ${k + 1} for what is heard`,
      press: String(k + 1),
      also: 'mouth lip sync',
      act: () => bench.strip.shown && bench.sound.place(k + 1),
    })),
  ],
  entered() {
    bench.tools.useTool('goal');
    bench.deliveries.loadJobs();
    bench.proof.loadRevisions();
    if (bench.motions.one) bench.motions.choose(bench.motions.one.id);
  },
  taken() {
    bench.motions.taken();
    bench.steps.taken();
    if (bench.strip.frame > bench.strip.frames) bench.strip.goTo(bench.strip.frames);
  },
  watch(watch) {
    watch(
      () => bench.posing.pose,
      () => bench.keying.posed(),
    );
    watch(
      () => bench.tipPath.wanted,
      () => bench.tipPath.follow(),
    );
    watch(
      () => [bench.sound.wanted, bench.sound.peaks],
      () => bench.sound.follow(),
    );
    watch(
      () => bench.film.wanted,
      () => bench.film.follow(),
    );
    watch(
      () => bench.ghosts.wanted,
      () => bench.ghosts.follow(),
    );
    watch(
      () => [bench.curves.wanted, bench.strip.at, bench.strip.chosen],
      () => bench.curves.follow(),
    );
    watch(
      () => bench.strip.at,
      () => bench.sheet.redraw(),
    );
  },
  /** Arrow keys move chosen keys, or go from frame to frame. */
  nudge([dx]) {
    if (!dx || !bench.motions.one) return false;
    if (bench.strip.chosen.length) bench.keying.move(Math.sign(dx));
    else bench.strip.step(Math.sign(dx));
    return true;
  },
  remove: () => bench.keying.remove(),
  draw(context, camera) {
    const film = bench.film.shown();
    if (film && film.above) drawReference(context, camera, film, film.loaded);
    if (!bench.strip.shown || bench.sheet.cleanLook) return;
    drawGround(context, camera);
    drawGhosts(context, camera);
    drawTipPath(context, camera);
  },
};
