// The tray: all parts, front to back.

import { bench } from './bench.js';

export const tray = {
  dragged: null,
  /** Whether it lies there; a strip takes its place where joints are read or motions are made. */
  get shown() {
    return !bench.trying.stripShown && !bench.strip.shown;
  },
  get tiles() {
    if (!bench.page.figure) return [];
    const order = [...bench.page.figure.parts].reverse();
    return order.map((part, index) => {
      const before = order[index - 1];
      const after = order[index + 1];
      const same = (other) => other && part.group && other.group === part.group;
      const group = bench.page.figure.groups.find((one) => one.id === part.group);
      return {
        id: part.id,
        name: part.name,
        visible: part.visible,
        src: `/figures/pictures/${part.drawing.picture}.png`,
        locked: part.locked,
        alone: bench.picking.alone.includes(part.id),
        title: group ? `${part.name}, in ${group.name}` : part.name,
        classes: {
          'hidden-part': !part.visible || part.left_out,
          'locked-part': part.locked,
          'alone-part': bench.picking.alone.includes(part.id),
          'in-group': Boolean(part.group),
          'group-start': Boolean(part.group) && !same(before),
          'group-end': Boolean(part.group) && !same(after),
        },
      };
    });
  },
  toggleShown(id) {
    const part = bench.page.figure.parts.find((one) => one.id === (id || bench.selection.onePart.id));
    if (!bench.page.mayBuild) {
      bench.page.warn(bench.page.whyNot);
      return;
    }
    bench.history.edit({ kind: 'show_parts', parts: [part.id], visible: !part.visible });
  },
  dragTile(event, id) {
    this.dragged = id;
    event.dataTransfer.effectAllowed = 'move';
    event.dataTransfer.setData('text/plain', id);
  },
  overTile(event, id) {
    if (!this.dragged || this.dragged === id) return;
    event.preventDefault();
    document.querySelectorAll('.drop-before').forEach((tile) => tile.classList.remove('drop-before'));
    event.currentTarget.classList.add('drop-before');
  },
  dropTile(event, id) {
    event.preventDefault();
    const dragged = this.dragged;
    this.endDrag();
    if (!dragged || dragged === id) return;
    if (!bench.page.mayBuild) {
      bench.page.warn(bench.page.whyNot);
      return;
    }
    // the tray runs front to back: dropping before a tile puts the part just in front of it
    const others = bench.page.figure.parts.filter((part) => part.id !== dragged);
    bench.history.edit({ kind: 'order_part', part: dragged, position: others.findIndex((part) => part.id === id) + 1 });
  },
  endDrag() {
    this.dragged = null;
    document.querySelectorAll('.drop-before').forEach((tile) => tile.classList.remove('drop-before'));
  },
  toggleLock(id) {
    if (!bench.page.mayBuild) {
      bench.page.warn(bench.page.whyNot);
      return;
    }
    bench.history.edit({
      kind: 'lock_parts',
      parts: [id],
      locked: !bench.page.figure.parts.find((part) => part.id === id).locked,
    });
  },
};
