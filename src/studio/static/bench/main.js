// The bench: a page put together from its modules, of which nine are stages of the work. No rule of the job is in any.

import Alpine from '../vendor/alpine/alpine-csp.esm.min.js';
import { ARTWORK } from './artwork/stage.js';
import { BINDING } from './binding/stage.js';
import { BONES } from './bones/stage.js';
import { CONTROLS } from './controls/stage.js';
import { DELIVERY } from './delivery/stage.js';
import { FOLLOW } from './follow/stage.js';
import { bench, install } from './page/bench.js';
import { engine } from './page/engine.js';
import { FACINGS } from './facings/module.js';
import { PAGE } from './page/module.js';
import { scene } from './page/scene.js';
import { POSING } from './posing/module.js';
import { SEAMS } from './seams/stage.js';
import { SHEET } from './sheet/module.js';
import { TRIAL } from './trial/stage.js';
import { WARPS } from './warps/stage.js';

install(Alpine, [
  FACINGS,
  SHEET,
  PAGE,
  POSING,
  ARTWORK,
  BONES,
  BINDING,
  WARPS,
  SEAMS,
  CONTROLS,
  FOLLOW,
  TRIAL,
  DELIVERY,
]);
engine.tools = bench.toolset;
window.kunstgriff = { engine, scene, bench };
Alpine.start();
bench.opening.begin(Alpine.watch);
