// What is drawn over the art: bones as wooden dowels (SVG), the sheet's paper, mesh and contour lines (canvas).

import { carried, scene, vertex } from '../page/scene.js';
import { coil, dowel, notchAt } from './dowels.js';
import { Lines } from './lines.js';

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
    this.lines = new Lines(canvas, camera);
    this.camera = camera;
    this.bones = element('g', {}, svg);
    this.draft = element('g', {}, svg);
    this.pivots = element('g', { 'pointer-events': 'none' }, svg);
  }

  /** A ring around a box of the figure, which goes by itself. */
  mark([left, top, right, bottom]) {
    const [a, b] = [this.camera.toScreen(left, top), this.camera.toScreen(right, bottom)];
    const ring = element(
      'ellipse',
      {
        class: 'look-ring',
        'pointer-events': 'none',
        cx: (a[0] + b[0]) / 2,
        cy: (a[1] + b[1]) / 2,
        rx: (b[0] - a[0]) / 2 + 10,
        ry: (b[1] - a[1]) / 2 + 10,
      },
      this.svg,
    );
    setTimeout(() => ring.remove(), 2400);
  }

  /** One group a bone, kept between frames so that focus stays where it is. */
  drawBones(figure, { colours, selected, springs, shown, override, only }) {
    const wanted = new Set(
      shown ? figure.bones.filter((bone) => !only || only.has(bone.id)).map((bone) => bone.id) : [],
    );
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
    for (const [x, y] of all.slice(0, points.length))
      element('circle', { class: 'draft-disc', cx: x, cy: y, r: 5 }, this.draft);
  }

  /** The pivots of parts: a fastener seen from above. */
  drawPivots(parts) {
    this.pivots.replaceChildren();
    for (const part of parts) {
      const [x, y] = this.camera.toScreen(...part.drawing.pivot);
      for (const kind of ['pivot-pin-under', 'pivot-pin']) {
        element('circle', { class: kind, cx: x, cy: y, r: 7 }, this.pivots);
        element(
          'path',
          {
            class: kind,
            d: `M${x - 12} ${y}H${x - 3}M${x + 3} ${y}H${x + 12}M${x} ${y - 12}V${y - 3}M${x} ${y + 3}V${y + 12}`,
          },
          this.pivots,
        );
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
      for (const [colour, width, dash] of [
        ['#FFFEFA', 3, []],
        ['#1F6F68', 1.8, [6, 4]],
      ]) {
        Object.assign(context, { strokeStyle: colour, lineWidth: width });
        context.setLineDash(dash);
        context.strokeRect(left - 3, top - 3, right - left + 6, bottom - top + 6);
      }
    }
    context.setLineDash([]);
  }
}
