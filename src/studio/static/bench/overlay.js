// What is drawn over the art: bones as wooden dowels (SVG), the sheet's paper, mesh and contour lines (canvas).

import { carried, scene, vertex } from './scene.js';

const SVG = 'http://www.w3.org/2000/svg';

function element(name, attributes, parent) {
  const made = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  if (parent) parent.appendChild(made);
  return made;
}

export class Overlay {
  constructor(svg, canvas, camera) {
    this.svg = svg;
    this.canvas = canvas;
    this.camera = camera;
    this.bones = element('g', {}, svg);
    this.draft = element('g', {}, svg);
    this.pivots = element('g', { 'pointer-events': 'none' }, svg);
  }

  /** A ring around a box of the figure, which goes by itself. */
  mark([left, top, right, bottom]) {
    const [a, b] = [this.camera.toScreen(left, top), this.camera.toScreen(right, bottom)];
    const ring = element('ellipse', {
      class: 'look-ring', 'pointer-events': 'none',
      cx: (a[0] + b[0]) / 2, cy: (a[1] + b[1]) / 2, rx: (b[0] - a[0]) / 2 + 10, ry: (b[1] - a[1]) / 2 + 10,
    }, this.svg);
    setTimeout(() => ring.remove(), 2400);
  }

  /** One group a bone, kept between frames so that focus stays where it is. */
  drawBones(figure, { colours, selected, springs, shown, override, only }) {
    const wanted = new Set(shown ? figure.bones.filter((bone) => !only || only.has(bone.id)).map((bone) => bone.id) : []);
    for (const group of [...this.bones.children]) if (!wanted.has(group.dataset.bone)) group.remove();
    const here = new Map([...this.bones.children].map((group) => [group.dataset.bone, group]));
    for (const bone of figure.bones) {
      if (!wanted.has(bone.id)) continue;
      const group = here.get(bone.id) || this.makeBone(bone.id);
      const place = override && override[bone.id];
      const joint = this.camera.toScreen(...(place ? place.joint : carried(bone.id, bone.joint)));
      const tip = this.camera.toScreen(...(place ? place.tip : carried(bone.id, bone.tip)));
      const [hit, shape, notch, disc] = group.children;
      hit.setAttribute('d', `M${joint.join(' ')}L${tip.join(' ')}`);
      shape.setAttribute('d', springs.has(bone.id) ? coil(joint, tip) : dowel(joint, tip));
      shape.setAttribute('fill', colours[bone.id]);
      notch.setAttribute('d', notchAt(joint, tip));
      disc.setAttribute('cx', joint[0]);
      disc.setAttribute('cy', joint[1]);
      disc.setAttribute('r', Math.min(5, Math.max(3, Math.hypot(tip[0] - joint[0], tip[1] - joint[1]) / 5)));
      group.setAttribute('aria-label', `bone ${bone.name}`);
      group.setAttribute('aria-pressed', selected.has(bone.id));
      group.classList.toggle('selected', selected.has(bone.id));
      group.classList.toggle('dimmed', selected.size > 0 && !selected.has(bone.id));
      group.classList.toggle('link', bone.connector);
      group.classList.toggle('locked', bone.locked);
    }
  }

  makeBone(id) {
    const group = element('g', { class: 'bone', role: 'button', tabindex: '0', 'data-bone': id }, this.bones);
    element('path', { class: 'bone-hit' }, group); // wider than what is seen, so that it can be hit
    element('path', { class: 'bone-shape' }, group);
    element('path', { class: 'bone-notch' }, group);
    element('circle', { class: 'bone-disc' }, group);
    return group;
  }

  /** The chain being drawn, joints in figure space and the pointer after them. */
  drawDraft(points, pointer) {
    this.draft.replaceChildren();
    if (!points.length) return;
    const all = (pointer ? [...points, pointer] : points).map((point) => this.camera.toScreen(...point));
    element('polyline', { class: 'chain-draft', points: all.map((point) => point.join(',')).join(' ') }, this.draft);
    for (const [x, y] of all.slice(0, points.length)) element('circle', { class: 'draft-disc', cx: x, cy: y, r: 5 }, this.draft);
  }

  /** The pivots of parts: a fastener seen from above. */
  drawPivots(parts) {
    this.pivots.replaceChildren();
    for (const part of parts) {
      const [x, y] = this.camera.toScreen(...part.pivot);
      for (const kind of ['pivot-pin-under', 'pivot-pin']) {
        element('circle', { class: kind, cx: x, cy: y, r: 7 }, this.pivots);
        element('path', { class: kind, d: `M${x - 12} ${y}H${x - 3}M${x + 3} ${y}H${x + 12}M${x} ${y - 12}V${y - 3}M${x} ${y + 3}V${y + 12}` }, this.pivots);
      }
    }
  }

  /** A dashed frame around each selected part, wherever it is now. */
  drawFrames(parts) {
    const context = this.canvas.getContext('2d');
    for (const [start, count] of parts.map((ref) => scene.blocks[ref]).filter(Boolean)) {
      const points = Array.from({ length: count }, (_, k) => this.camera.toScreen(...vertex(start + k)));
      const [left, right] = [Math.min(...points.map((p) => p[0])), Math.max(...points.map((p) => p[0]))];
      const [top, bottom] = [Math.min(...points.map((p) => p[1])), Math.max(...points.map((p) => p[1]))];
      // light under the dashes, so that they show on dark art too
      for (const [colour, width, dash] of [['#FFFEFA', 3, []], ['#1F6F68', 1.8, [6, 4]]]) {
        Object.assign(context, { strokeStyle: colour, lineWidth: width });
        context.setLineDash(dash);
        context.strokeRect(left - 3, top - 3, right - left + 6, bottom - top + 6);
      }
    }
    context.setLineDash([]);
  }

  /** Mesh lines in pencil, folded triangles hatched, loose vertices as open rings, contours like a walker's map. */
  drawLines({ mesh, weights, parts, selectedBone }) {
    const ratio = devicePixelRatio;
    const { width, height } = this.camera;
    this.canvas.width = width * ratio;
    this.canvas.height = height * ratio;
    const context = this.canvas.getContext('2d');
    context.scale(ratio, ratio);
    if (!scene.geometry || (!mesh && !weights)) return;
    const inPart = membership(parts);
    if (mesh) {
      this.strokeEdges(context, inPart);
      this.hatchFolds(context, inPart);
      this.ringLoose(context, inPart);
    }
    if (weights) this.strokeContours(context, inPart, selectedBone);
  }

  strokeEdges(context, inPart) {
    const edges = scene.geometry.meshEdges;
    context.strokeStyle = 'rgba(43, 42, 51, .55)';
    context.lineWidth = 0.7;
    context.beginPath();
    for (let k = 0; k < edges.length; k += 2) {
      if (!inPart(edges[k])) continue;
      context.moveTo(...this.camera.toScreen(...vertex(edges[k])));
      context.lineTo(...this.camera.toScreen(...vertex(edges[k + 1])));
    }
    context.stroke();
  }

  hatchFolds(context, inPart) {
    const { indices, rest } = scene.geometry;
    context.strokeStyle = '#7A3B69';
    context.lineWidth = 1.4;
    context.beginPath();
    for (let k = 0; k < indices.length; k += 3) {
      const [a, b, c] = [indices[k], indices[k + 1], indices[k + 2]];
      if (!inPart(a) || area(rest, a, b, c) * area(scene.vertices, a, b, c) > 0) continue;
      const corners = [a, b, c].map((one) => this.camera.toScreen(...vertex(one)));
      for (let t = 0; t <= 1; t += 0.25) {
        context.moveTo(corners[0][0] + t * (corners[1][0] - corners[0][0]), corners[0][1] + t * (corners[1][1] - corners[0][1]));
        context.lineTo(corners[0][0] + t * (corners[2][0] - corners[0][0]), corners[0][1] + t * (corners[2][1] - corners[0][1]));
      }
    }
    context.stroke();
  }

  ringLoose(context, inPart) {
    const tint = scene.geometry.tint;
    context.strokeStyle = '#7A3B69';
    context.lineWidth = 1.6;
    for (let k = 0; k < tint.length / 4; k += 1) {
      if (tint[4 * k + 3] || !inPart(k)) continue;
      const [x, y] = this.camera.toScreen(...vertex(k));
      context.beginPath();
      context.arc(x, y, 4, 0, 7);
      context.stroke();
    }
  }

  strokeContours(context, inPart, selectedBone) {
    const { contourEdges, contourShares, contourLevels, contourBones } = scene.geometry;
    const only = selectedBone ? scene.boneIndex[selectedBone] : -1;
    const some = only >= 0 && contourBones.includes(only);
    for (const level of [0.25, 0.5, 0.75]) {
      context.lineWidth = level === 0.5 ? 2 : 1;
      context.strokeStyle = 'rgba(43, 42, 51, .8)';
      context.beginPath();
      for (let k = 0; k < contourLevels.length; k += 1) {
        if (Math.abs(contourLevels[k] - level) > 0.01 || (some && contourBones[k] !== only) || !inPart(contourEdges[4 * k])) continue;
        context.moveTo(...this.crossing(contourEdges, contourShares, k, 0));
        context.lineTo(...this.crossing(contourEdges, contourShares, k, 1));
      }
      context.stroke();
    }
  }

  crossing(edges, shares, k, end) {
    const [ax, ay] = vertex(edges[4 * k + 2 * end]);
    const [bx, by] = vertex(edges[4 * k + 2 * end + 1]);
    const t = shares[2 * k + end];
    return this.camera.toScreen(ax + t * (bx - ax), ay + t * (by - ay));
  }
}

function membership(parts) {
  if (!parts) return () => true;
  const ranges = parts.map((ref) => scene.blocks[ref]).filter(Boolean);
  return (index) => ranges.some(([start, count]) => index >= start && index < start + count);
}

function area(points, a, b, c) {
  return (points[2 * b] - points[2 * a]) * (points[2 * c + 1] - points[2 * a + 1]) - (points[2 * b + 1] - points[2 * a + 1]) * (points[2 * c] - points[2 * a]);
}

function along(joint, tip) {
  const length = Math.max(Math.hypot(tip[0] - joint[0], tip[1] - joint[1]), 0.01);
  const ux = (tip[0] - joint[0]) / length;
  const uy = (tip[1] - joint[1]) / length;
  return { length, at: (t, off) => [joint[0] + ux * t * length - uy * off, joint[1] + uy * t * length + ux * off] };
}

/** A slim wooden dowel, a little thicker at the joint. */
function dowel(joint, tip) {
  const { length, at } = along(joint, tip);
  const thick = Math.min(4.6, 1.4 + length / 14);
  const path = [at(0, -thick), at(0.9, -thick * 0.62), at(1, -thick * 0.2), at(1, thick * 0.2), at(0.9, thick * 0.62), at(0, thick)];
  return `M${path.map((point) => point.map((one) => one.toFixed(1)).join(' ')).join('L')}Z`;
}

/** The dowel of a spring bone is drawn as a coil. */
function coil(joint, tip) {
  const { length, at } = along(joint, tip);
  const turns = Math.max(3, Math.round(length / 8));
  const thick = Math.min(5, 2 + length / 20);
  const upper = [];
  const lower = [];
  for (let k = 0; k <= turns * 10; k += 1) {
    const t = k / (turns * 10);
    const wave = Math.sin(t * turns * 2 * Math.PI) * thick * (1 - 0.4 * t);
    upper.push(at(t, wave - 1.1));
    lower.unshift(at(t, wave + 1.1));
  }
  return `M${[...upper, ...lower].map((point) => point.map((one) => one.toFixed(1)).join(' ')).join('L')}Z`;
}

function notchAt(joint, tip) {
  const { length, at } = along(joint, tip);
  const back = Math.max(0, 1 - 7 / length);
  return `M${at(back, -3).join(' ')}L${at(back, 3).join(' ')}`;
}
