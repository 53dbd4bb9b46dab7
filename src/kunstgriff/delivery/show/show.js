// Plays the motions of a figure in a page of its own: scrubbed, zoomed, on any ground, with ghosts of frames beside.
'use strict';
{
  const at = (id) => document.getElementById(id);
  const told = JSON.parse(at('motions').textContent);
  const canvas = at('sheet');
  const context = canvas.getContext('2d');
  const KEPT = 240; // frames decoded and kept, of all motions
  const GHOSTS = [[-4, 0.16], [4, 0.16], [-2, 0.26], [2, 0.26]];
  const view = { scale: 1, x: 0, y: 0 };
  const kept = new Map();
  let [motion, frame, begun, drawn] = [null, 0, null, ''];

  const bytes = (text) => Uint8Array.from(atob(text), (one) => one.charCodeAt(0));

  /** The frames of a motion by number: alike ones that lie side by side are one picture in the file. */
  async function opened(one) {
    if (one.decoder) return one;
    one.decoder = new ImageDecoder({ data: bytes(one.data), type: 'image/webp' });
    await one.decoder.tracks.ready;
    one.data = '';
    return one;
  }
  async function pictureOf(one, number) {
    const place = one.pictures[number];
    const key = `${one.name} ${place}`;
    const found = kept.get(key);
    if (found) {
      kept.delete(key); // the one looked at last is the last to be let go of
      kept.set(key, found);
      return found;
    }
    const { image } = await (await opened(one)).decoder.decode({ frameIndex: place });
    const bitmap = await createImageBitmap(image);
    image.close();
    kept.set(key, bitmap);
    if (kept.size > KEPT) {
      const [first] = kept.keys();
      kept.get(first).close();
      kept.delete(first);
    }
    return bitmap;
  }

  async function draw() {
    const [one, number, ghosts] = [motion, frame, at('ghosts').checked && begun === null];
    const key = JSON.stringify([one.name, number, ghosts, view, at('ground').value, at('see-through').checked]);
    if (key === drawn) return;
    const layers = [];
    for (const [by, share] of ghosts ? GHOSTS : []) {
      const beside = one.loop ? (number + by + one.count) % one.count : number + by;
      if (beside >= 0 && beside < one.count) layers.push([await pictureOf(one, beside), share]);
    }
    layers.push([await pictureOf(one, number), 1]);
    if (one !== motion) return;
    drawn = key;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.clearRect(0, 0, canvas.width, canvas.height);
    context.setTransform(view.scale, 0, 0, view.scale, view.x, view.y);
    for (const [picture, share] of layers) {
      context.globalAlpha = share;
      context.drawImage(picture, 0, 0);
    }
    canvas.style.background = at('see-through').checked ? '' : at('ground').value;
    canvas.dataset.frame = number;
  }

  function show(number) {
    frame = Math.min(Math.max(number, 0), motion.count - 1);
    at('strip').value = frame;
    at('told').textContent = `frame ${frame} of ${motion.count - 1}, ${(frame / motion.rate).toFixed(2)} s`;
    draw();
  }
  function play(on) {
    begun = on ? performance.now() - (frame * 1000) / (motion.rate * Number(at('speed').value)) : null;
    at('play').textContent = on ? 'Stop' : 'Play';
    if (on) requestAnimationFrame(step);
    else draw();
  }
  function step(now) {
    if (begun === null) return;
    const passed = Math.max(Math.floor(((now - begun) * motion.rate * Number(at('speed').value)) / 1000), 0);
    if (passed >= motion.count && !at('loop').checked) {
      show(motion.count - 1);
      play(false);
      return;
    }
    show(passed % motion.count);
    requestAnimationFrame(step);
  }
  function choose(name) {
    motion = told.find((one) => one.name === name);
    [canvas.width, canvas.height] = motion.size;
    at('strip').max = motion.count - 1;
    at('loop').checked = motion.loop;
    Object.assign(view, { scale: 1, x: 0, y: 0 });
    show(0);
    play(true);
  }

  const place = (event) => {
    const box = canvas.getBoundingClientRect();
    const by = canvas.width / box.width;
    return [(event.clientX - box.left) * by, (event.clientY - box.top) * by];
  };
  canvas.addEventListener('wheel', (event) => {
    event.preventDefault();
    const [x, y] = place(event);
    const scale = Math.min(Math.max(view.scale * Math.exp(-event.deltaY / 500), 0.25), 16);
    [view.x, view.y] = [x - ((x - view.x) * scale) / view.scale, y - ((y - view.y) * scale) / view.scale];
    view.scale = scale;
    draw();
  });
  canvas.addEventListener('pointerdown', (event) => {
    canvas.setPointerCapture(event.pointerId);
    const [from, began] = [place(event), { ...view }];
    const move = (now) => {
      const [x, y] = place(now);
      [view.x, view.y] = [began.x + x - from[0], began.y + y - from[1]];
      draw();
    };
    canvas.addEventListener('pointermove', move);
    canvas.addEventListener('pointerup', () => canvas.removeEventListener('pointermove', move), { once: true });
  });
  at('whole').addEventListener('click', () => {
    Object.assign(view, { scale: 1, x: 0, y: 0 });
    draw();
  });
  at('play').addEventListener('click', () => {
    if (begun === null && frame === motion.count - 1) frame = 0;
    play(begun === null);
  });
  at('strip').addEventListener('input', () => {
    play(false);
    show(Number(at('strip').value));
  });
  at('speed').addEventListener('change', () => play(begun !== null));
  for (const id of ['ghosts', 'ground', 'see-through']) at(id).addEventListener('input', draw);
  at('motion').addEventListener('change', () => choose(at('motion').value));
  if ('ImageDecoder' in window) choose(told[0].name);
  else {
    // without a decoder of single frames it is played as the browser plays it
    document.body.classList.add('plain');
    const picture = at('plainly');
    const shown = (name) => {
      picture.src = `data:image/webp;base64,${told.find((one) => one.name === name).data}`;
    };
    at('motion').addEventListener('change', () => shown(at('motion').value));
    shown(told[0].name);
  }
}
