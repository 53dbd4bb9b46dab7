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
  held: new Set(), // what is waited for before anything is painted again
  geometries: new Map(), // by their keys
  trying: false, // what is dragged at rest is shown as a pose would be
  handleDrag: null,
  handlePlaces: null,
  reference: null,
  carried: null,
};
