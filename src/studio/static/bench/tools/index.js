// The tools, by key.

import { chain } from './chain.js';
import { ink } from './ink.js';
import { joint } from './joint.js';
import { move } from './move.js';
import { pivot, turn } from './pivot.js';
import { select } from './select.js';
import { spot } from './spot.js';
import { stand } from './stand.js';

export const TOOLS = { select, chain, joint, spot, stand, move, pivot, turn, ink };
