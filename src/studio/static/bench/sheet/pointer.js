// Pointer and keys on the sheet.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';

/** What of the page an event is about. @returns {any} */
function targetOf(event) {
  return event.target;
}

/** How far an arrow key moves things: a step to its side. */
function arrowOf(event, step) {
  return { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
}

export const pointer = {
  place: '',
  get placeWords() {
    return this.place || '0, 0';
  },
  listen() {
    const sheet = document.getElementById('sheet');
    const at = (event) => {
      const box = sheet.getBoundingClientRect();
      return engine.camera.fromWindow(event.clientX - box.left, event.clientY - box.top);
    };
    const onSheet = (event) => !event.target.closest('.tools, .state-tab');
    let panning = null;
    let space = false;
    sheet.addEventListener('pointerdown', (event) => {
      if (!onSheet(event)) return;
      if (event.button === 1 || space) {
        panning = at(event);
        sheet.classList.add('panning');
        event.preventDefault();
      } else if (event.button === 0) {
        const hit = targetOf(event).closest('[data-bone]');
        bench.tools
          .toolInHand()
          .down(bench, engine.camera.toFigure(...at(event)), event, hit ? hit.dataset.bone : null);
      }
      sheet.setPointerCapture(event.pointerId);
    });
    sheet.addEventListener('pointermove', (event) => {
      engine.cross = null;
      const here = at(event);
      const point = engine.camera.toFigure(...here);
      this.place = `${Math.round(point[0])}, ${Math.round(point[1])}`;
      if (panning) {
        engine.camera.pan(here[0] - panning[0], here[1] - panning[1]);
        panning = here;
        bench.sheet.redraw();
      } else bench.tools.toolInHand().move(bench, point, event);
    });
    const release = (event) => {
      if (panning) {
        panning = null;
        sheet.classList.remove('panning');
      } else bench.tools.toolInHand().up(bench, engine.camera.toFigure(...at(event)), event);
    };
    sheet.addEventListener('pointerup', release);
    sheet.addEventListener('pointercancel', () => {
      panning = null;
      bench.tools.toolInHand().cancel(bench);
    });
    sheet.addEventListener(
      'wheel',
      (event) => {
        event.preventDefault();
        engine.camera.zoomAround(...at(event), Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.0015)));
        bench.sheet.redraw();
      },
      { passive: false },
    );
    document.getElementById('overlay').addEventListener('keydown', (event) => {
      const hit = targetOf(event).closest('[data-bone]');
      if (hit && (event.key === 'Enter' || event.key === ' ') && bench.tools.toolKey === 'select') {
        event.preventDefault();
        event.stopPropagation();
        bench.selection.pickBone(hit.dataset.bone, event);
      }
    });
    addEventListener('resize', () => bench.sheet.resize());
    addEventListener('keydown', (event) => {
      if (event.code === 'Space' && event.target === document.body) {
        space = true;
        event.preventDefault();
      }
    });
    addEventListener('keyup', (event) => {
      if (event.code === 'Space') space = false;
      if (event.key.toLowerCase() === 'h' && bench.sheet.cleanLook) {
        bench.sheet.cleanLook = false;
        bench.sheet.redraw();
      }
    });
    addEventListener('blur', () => {
      if (bench.sheet.cleanLook) {
        bench.sheet.cleanLook = false;
        bench.sheet.redraw();
      }
    });
    addEventListener('keydown', (event) => this.pressed(event));
  },
  pressed(event) {
    const control = event.ctrlKey || event.metaKey;
    const key = event.key.toLowerCase();
    if (control && key === 'k') {
      event.preventDefault();
      bench.finder.openFinder();
      return;
    }
    if (control && key === 'a' && !event.target.closest('input, select, textarea')) {
      event.preventDefault();
      bench.selection.selectAll();
      return;
    }
    const inField = event.target.closest(
      'input:not([type="checkbox"]):not([type="range"]):not([type="color"]), textarea',
    );
    if (control && ['z', 'y'].includes(key) && inField) return; // a field undoes its own typing
    if (control && key === 'z') {
      event.preventDefault();
      if (event.shiftKey) bench.history.redo();
      else bench.history.undo();
      return;
    }
    if (control && key === 'y') {
      event.preventDefault();
      bench.history.redo();
      return;
    }
    if (
      event.target.closest('input, select, textarea') ||
      control ||
      (event.altKey && !key.startsWith('arrow')) ||
      bench.finder.finderOpen
    )
      return;
    if (key === '?') bench.finder.openFinder();
    else if (key === 'escape') bench.page.letGo();
    else if (key === 'enter' && engine.cross && bench.tools.toolInHand().byKeys) {
      event.preventDefault();
      this.setAtCross(event);
    } else if (key === 'enter' && bench.tools.toolInHand().enter && !event.target.closest('button, a')) {
      event.preventDefault();
      bench.tools.toolInHand().enter(bench);
    } else if (key === 'delete') bench.tools.run('delete');
    else if (key === 'h' && !event.repeat) {
      bench.sheet.cleanLook = true;
      bench.sheet.redraw();
    } else if (key.startsWith('arrow')) this.nudge(event);
    else this.pressAction(event.shiftKey ? `shift+${key}` : key, event) || this.pressAction(key, event);
  },
  /** Do what a key is for; tells whether it is for anything. */
  pressAction(press, event) {
    const action = bench.actions.find((one) => one.press === press);
    if (!action) return false;
    if (press.startsWith('page')) event.preventDefault();
    bench.tools.run(action.key);
    return true;
  },
  /** A tool that aims is moved by arrow keys: 8 px on the screen, with Shift 40, with Alt 1. */
  aim(event) {
    const tool = bench.tools.toolInHand();
    const step = (event.shiftKey ? 40 : event.altKey ? 1 : 8) / engine.camera.scale;
    const [dx, dy] = arrowOf(event, step);
    const { width, height } = engine.camera;
    const from = engine.cross || (tool.aimFrom && tool.aimFrom(bench)) || engine.camera.toFigure(width / 2, height / 2);
    engine.cross = [from[0] + dx, from[1] + dy];
    this.place = engine.cross.map((one) => Math.round(one)).join(', ');
    tool.move(bench, engine.cross, { altKey: true });
    bench.sheet.redraw();
  },
  setAtCross(event) {
    const tool = bench.tools.toolInHand();
    const at = [...engine.cross];
    if (tool.endsAt && tool.endsAt(at)) {
      engine.cross = null;
      tool.enter(bench);
      return;
    }
    tool.down(bench, at, { altKey: true, shiftKey: event.shiftKey, target: document.body, detail: 1 }, null);
    tool.up(bench, at, event);
  },
  nudge(event) {
    if (event.target.closest('.tray') && !event.target.closest('.times')) return;
    if (bench.tools.toolInHand().byKeys) {
      event.preventDefault();
      this.aim(event);
      return;
    }
    const by = arrowOf(event, event.shiftKey ? 10 : 1);
    const { stage } = bench.page;
    if (stage.nudge && stage.nudge(by)) {
      event.preventDefault();
      return;
    }
    const bone = bench.selection.oneBone;
    if (!bone) return;
    event.preventDefault();
    if (bench.posing.posed) bench.posing.poseTurn(bone.id, bench.posing.turnOf(bone.id) + by[0] + by[1]);
  },
};
