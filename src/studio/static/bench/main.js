// The bench: one Alpine component put together from its concerns. No rule of the job is in any of them.

import Alpine from '../vendor/alpine/alpine-csp.esm.min.js';
import { artwork } from './artwork.js';
import { delivering } from './delivering.js';
import { drawing } from './drawing.js';
import { editing, NO_SPRING } from './editing.js';
import { engine } from './engine.js';
import { fan } from './fan.js';
import { hands } from './hands.js';
import { opening } from './opening.js';
import { posing } from './posing.js';
import { rigging } from './rigging.js';
import { scene } from './scene.js';
import { weighing } from './weighing.js';
import { seams } from './seams.js';
import { selecting } from './selecting.js';
import { treating } from './treating.js';
import { tree } from './tree.js';
import { words } from './words.js';

window.kunstgriff = { engine, scene };

const state = () => ({
  ready: false, stageKey: 'bones', toolKey: 'select', posed: false, findingsOpen: true, findingsChosen: false, stripOpen: true, stripShown: false, stripTwo: false,
  state: null, bones: [], parts: [], pose: { channels: {} }, motionAsked: 'test swing', offline: '', waitingEdits: 0,
  showMesh: false, showWeights: false, showBones: true, playing: false, frameNumber: 0, draftCount: 0, renewalWords: '', findText: '', putText: '', speed: 1,
  message: '', warning: false, finderOpen: false, finderWord: '', zoom: 1, place: '',
  template: 'biped', pieces: 2, copyFind: 'near', copyPut: 'far', matchesFound: null, alongJoints: '', onlyOwn: false,
  seamsRead: {}, seamJoints: [], seamsOf: 0, seamsHalted: false, seamLive: null, meetsAlike: true, seamLiveAt: 0, voids: null, together: null, poseName: '', tried: null, tryWay: '', tryBusy: false, proposals: [], proposing: false,
  previewed: null, cleanLook: false, falseColours: false, deliverySize: { width: '', height: '', rate: '' }, finderAt: 0, clipBy: '', inkAsked: '', clipErased: false, clipUnseen: false, switchFields: { bone: '', low: '', high: '', fade: 0, stretch: '' },
  stackOver: '', stackWhile: { bone: '', low: '', high: '' }, treeWord: '', treeFolded: [], treeRenamed: '', renameChain: true, settingsOf: '', viewMirrored: false, viewTurn: 0,
  zones: [], vertices: [], weightTable: { bones: [], rows: [] }, weightView: 'blend', most: 4, tolerance: 0.5, regionEdge: 12, margin: 2, countBefore: 0, fanBefore: null,
  brush: { mode: 'add', radius: 40, strength: 0.3, fall_off: 1, value: 1, mirrored: false },
  found: null, fanRead: null, bendsRead: {}, bendsDue: 0, bendsBusy: false, fanSentence: '', partReadings: null, alone: [], liftInk: false, rigidBone: '', vertexCount: 220, influenceWay: 'auto', ticked: [], spring: { ...NO_SPRING }, jobs: [], dragged: null,
});

/** Objects as one, getters and all. */
function together(...concerns) {
  return Object.defineProperties({}, Object.assign({}, ...concerns.map((one) => Object.getOwnPropertyDescriptors(one))));
}

Alpine.data('bench', () => together(state(), words, opening, drawing, hands, posing, editing, rigging, weighing, seams, treating, artwork, fan, delivering, tree, selecting));
Alpine.start();
