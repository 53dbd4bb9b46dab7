// What Alpine must not wrap in its proxies: canvases, sockets, the camera, drags under way.

import { Camera } from '../sheet/camera.js';

export const engine = {
  camera: new Camera(),
  stage: null,
  overlay: null,
  live: null,
  queue: null,
  draft: null,
  cross: null,
  treeDrag: null,
  override: null,
  dirty: false,
  swing: null,
  seamRead: null,
  keptFrames: null,
  awaited: null, // a posed frame of another facing: { seen, come(frame) }
  mirrored: false, // whether the facing shown mirrors another
  geometries: new Map(), // by their keys
  trying: false, // what is dragged at rest is shown as a pose would be
  handleDrag: null,
  handlePlaces: null,
  reference: null,
  stills: new Map(), // of the film under a motion, by their addresses
  carried: null,
};
