// The tools, by key.

import { engine } from '../engine.js';
import { along } from './along.js';
import { brush } from './brush.js';
import { chain } from './chain.js';
import { gradient } from './gradient.js';
import { ink } from './ink.js';
import { joint } from './joint.js';
import { move } from './move.js';
import { pivot, turn } from './pivot.js';
import { middle, reshape, sever } from './reshape.js';
import { cut, fold, opening } from './seams.js';
import { select } from './select.js';
import { spot } from './spot.js';
import { stand } from './stand.js';
import { vertices } from './vertices.js';
import { zone } from './zone.js';

export const TOOLS = { select, chain, along, joint, spot, stand, move, pivot, turn, ink, brush, gradient, vertices, zone, opening, fold, cut, sever, middle, reshape };
engine.tools = TOOLS;
