// The tree of bones and parts.

import { bench } from './bench.js';
import { engine } from './engine.js';

export const tree = {
  treeWord: '',
  treeFolded: [],
  treeRenamed: '',
  get treeRows() {
    if (!bench.page.figure) return [];
    const rows = [];
    const below = new Map();
    const put = (key, row) => below.set(key, [...(below.get(key) || []), row]);
    for (const bone of bench.page.figure.bones)
      put(bone.parent || '', { kind: 'bone', id: bone.id, name: bone.name, colour: bench.page.state.colours[bone.id] });
    for (const part of [...bench.page.figure.parts].reverse()) {
      const over = this.carrierOf(part);
      put(over || 'nothing', {
        kind: 'part',
        id: part.id,
        name: part.name,
        src: `/figures/pictures/${part.drawing.picture}.png`,
      });
    }
    const words = this.treeWord.toLowerCase().split(/\s+/).filter(Boolean);
    const meant = (row) => words.every((word) => row.name.toLowerCase().includes(word));
    const holds = (row) => meant(row) || (row.kind === 'bone' && (below.get(row.id) || []).some(holds));
    const walk = (key, depth) => {
      for (const row of below.get(key) || []) {
        if (words.length && !holds(row)) continue;
        const inner = row.kind === 'bone' ? below.get(row.id) || [] : [];
        const open = words.length > 0 || !this.treeFolded.includes(row.id);
        rows.push({
          ...row,
          depth,
          key: `${row.kind} ${row.id}`,
          level: depth + 1,
          indent: { paddingLeft: `${depth * 13}px` },
          folds: inner.length > 0,
          open,
          on: row.kind === 'bone' ? bench.selection.isBone(row.id) : bench.selection.isPart(row.id),
          renamed: this.treeRenamed === row.id,
          mark: open ? '▾' : '▸',
          fold: `${open ? 'fold' : 'unfold'} ${row.name}`,
          change: `name of ${row.name}`,
        });
        if (open) walk(row.id, depth + 1);
      }
    };
    walk('', 0);
    const loose = (below.get('nothing') || []).filter((row) => !words.length || meant(row));
    if (loose.length && bench.page.figure.bones.length)
      rows.push({
        kind: 'word',
        key: 'word',
        id: '',
        name: 'follow nothing',
        depth: 0,
        level: 1,
        indent: {},
        folds: false,
        open: true,
        on: false,
        renamed: false,
        mark: '',
        fold: '',
        change: '',
      });
    for (const row of loose)
      rows.push({
        ...row,
        depth: 1,
        key: `part ${row.id}`,
        level: 2,
        indent: { paddingLeft: '13px' },
        folds: false,
        open: true,
        on: bench.selection.isPart(row.id),
        renamed: this.treeRenamed === row.id,
        mark: '',
        fold: '',
        change: `name of ${row.name}`,
      });
    return rows;
  },
  get treeEmpty() {
    return this.treeWord && !this.treeRows.length;
  },
  /** The bone a part is listed under: the one it follows, or the first of those that move it. */
  carrierOf(part) {
    const { binding } = part;
    if (binding.kind === 'rigid') return binding.bone;
    if (binding.kind === 'weighted') return binding.influences[0];
    if (binding.kind === 'rider') {
      const other = bench.page.figure.parts.find((one) => one.id === binding.carrier);
      return other && other.binding.kind !== 'rider' ? this.carrierOf(other) : null;
    }
    return null;
  },
  foldRow(id) {
    this.treeFolded = this.treeFolded.includes(id)
      ? this.treeFolded.filter((one) => one !== id)
      : [...this.treeFolded, id];
  },
  pickRow(row, event) {
    if (row.kind === 'bone') bench.selection.pickBone(row.id, event);
    else if (row.kind === 'part') bench.selection.pickPart(row.id, event);
  },
  /** Arrow keys walk the tree and fold it, F2 or a double click renames. */
  keyOnRow(row, event) {
    const rows = this.treeRows;
    const at = rows.findIndex((one) => one.key === row.key);
    const go = (to) => {
      event.preventDefault();
      event.stopPropagation();
      this.focusRow(rows[Math.min(Math.max(to, 0), rows.length - 1)].key);
    };
    if (event.key === 'ArrowDown') go(at + 1);
    else if (event.key === 'ArrowUp') go(at - 1);
    else if (event.key === 'ArrowRight' && row.folds && !row.open) {
      event.preventDefault();
      event.stopPropagation();
      this.foldRow(row.id);
    } else if (event.key === 'ArrowLeft') {
      event.preventDefault();
      event.stopPropagation();
      if (row.folds && row.open) this.foldRow(row.id);
      else {
        let up = at;
        while (up > 0 && rows[up].depth >= row.depth) up -= 1;
        this.focusRow(rows[up].key);
      }
    } else if (event.key === 'F2') {
      event.preventDefault();
      this.renameRow(row);
    }
  },
  focusRow(key) {
    /** @type {HTMLElement} */
    const found = document.querySelector(`.tree [data-row="${key}"] .tree-name`);
    if (found) found.focus();
  },
  renameRow(row) {
    if (row.kind === 'word') return;
    if (!bench.page.mayBuild) {
      bench.page.warn(bench.page.whyNot);
      return;
    }
    this.treeRenamed = row.id;
    bench.nextTick(() => {
      /** @type {HTMLInputElement} */
      const field = document.querySelector('.tree input.tree-field');
      if (field) {
        field.value = row.name;
        field.focus();
        field.select();
      }
    }); // once: another edit's answer must not take what is typed
  },
  /** A name is taken over by Enter, and by Tab, which goes on to the next one; Escape leaves it. */
  keyInField(row, event) {
    event.stopPropagation();
    if (event.key === 'Escape') {
      this.treeRenamed = '';
      this.focusRow(row.key);
      return;
    }
    if (event.key !== 'Enter' && event.key !== 'Tab') return;
    event.preventDefault();
    const rows = this.treeRows.filter((one) => one.kind !== 'word');
    const at = rows.findIndex((one) => one.key === row.key);
    const next = event.key === 'Tab' ? rows[at + (event.shiftKey ? -1 : 1)] : null;
    this.takeName(row, event.target.value);
    if (next) this.renameRow(next);
    else {
      this.treeRenamed = '';
      this.focusRow(row.key);
    }
  },
  leaveField(row, event) {
    if (this.treeRenamed === row.id) {
      this.treeRenamed = '';
      this.takeName(row, event.target.value);
    }
  },
  takeName(row, value) {
    const name = value.trim();
    if (!name || name === row.name) return;
    if (row.kind === 'bone') bench.history.edit({ kind: 'rename_bone', bone: row.id, name, chain: false });
    else bench.history.edit({ kind: 'rename_part', part: row.id, name });
  },
  dragRow(row, event) {
    engine.treeDrag = row.kind === 'word' ? null : row;
    event.dataTransfer.effectAllowed = 'move';
    event.dataTransfer.setData('text/plain', row.name);
  },
  overRow(row, event) {
    const { treeDrag } = engine;
    if (!treeDrag || row.key === treeDrag.key || row.kind === 'part') return;
    event.preventDefault();
    this.unmarkRows();
    event.currentTarget.classList.add('drop-here');
  },
  dropRow(row, event) {
    event.preventDefault();
    const { treeDrag } = engine;
    this.endRowDrag();
    if (!treeDrag || row.key === treeDrag.key || row.kind === 'part') return;
    if (!bench.page.mayBuild) {
      bench.page.warn(bench.page.whyNot);
      return;
    }
    if (treeDrag.kind === 'bone')
      bench.history.edit({ kind: 'hang_bone', bone: treeDrag.id, parent: row.kind === 'bone' ? row.id : null });
    else if (row.kind === 'bone') bench.history.edit({ kind: 'bind_rigid', parts: [treeDrag.id], bone: row.id });
    else bench.history.edit({ kind: 'unbind', parts: [treeDrag.id] });
  },
  endRowDrag() {
    engine.treeDrag = null;
    this.unmarkRows();
  },
  unmarkRows() {
    document.querySelectorAll('.tree .drop-here').forEach((one) => one.classList.remove('drop-here'));
  },
};
