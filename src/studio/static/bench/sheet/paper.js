// The sheet of paper under the art: millimetre grid at rest, plain when posed. Drawn on a canvas of the page's own.

export function drawPaper(context, camera, sheet, posed, style) {
  const token = (name) => style.getPropertyValue(name).trim();
  const [left, top] = camera.toScreen(-sheet.standing_point[0], -sheet.standing_point[1]);
  const width = sheet.width * camera.scale;
  const height = sheet.height * camera.scale;
  context.save();
  context.shadowColor = token('--shadow');
  context.shadowBlur = 14;
  context.shadowOffsetY = 4;
  context.fillStyle = '#FFFEFA';
  context.fillRect(left, top, width, height);
  context.restore();
  if (!posed) drawGrid(context, camera, sheet, left, top, width, height);
  const [sx, sy] = camera.toScreen(0, 0);
  context.strokeStyle = 'rgba(81, 90, 103, .8)';
  context.lineWidth = 1;
  context.beginPath();
  context.moveTo(sx - 12, sy + 0.5);
  context.lineTo(sx + 12, sy + 0.5);
  context.moveTo(sx + 0.5, sy);
  context.lineTo(sx + 0.5, sy + 8);
  context.stroke();
}

function drawGrid(context, camera, sheet, left, top, width, height) {
  let step = 10;
  while (step * camera.scale < 6) step *= 5;
  context.save();
  context.beginPath();
  context.rect(left, top, width, height);
  context.clip();
  /** @type {[number, string][]} */
  const grids = [
    [step, '#F3ECDD'],
    [step * 5, '#E8DDC6'],
  ];
  for (const [every, colour] of grids) {
    context.strokeStyle = colour;
    context.lineWidth = 1;
    context.beginPath();
    const spacing = every * camera.scale;
    const [ox, oy] = camera.toScreen(0, 0);
    for (let x = ox - Math.ceil((ox - left) / spacing) * spacing; x <= left + width; x += spacing) {
      context.moveTo(Math.round(x) + 0.5, top);
      context.lineTo(Math.round(x) + 0.5, top + height);
    }
    for (let y = oy - Math.ceil((oy - top) / spacing) * spacing; y <= top + height; y += spacing) {
      context.moveTo(left, Math.round(y) + 0.5);
      context.lineTo(left + width, Math.round(y) + 0.5);
    }
    context.stroke();
  }
  context.restore();
}

/** The picture to go by, as dim as it was set. */
export function drawReference(context, camera, reference, loaded) {
  if (!loaded || loaded.digest !== reference.picture) return;
  const [x, y] = camera.toScreen(...reference.place);
  const scale = reference.scale * camera.scale;
  context.save();
  context.globalAlpha = reference.opacity;
  context.drawImage(loaded.bitmap, x, y, loaded.bitmap.width * scale, loaded.bitmap.height * scale);
  context.restore();
}

/** A picture of one px a figure px laid over the sheet with its top left at `corner`. */
export function drawMap(context, camera, corner, bitmap) {
  if (!bitmap) return;
  const [x, y] = camera.toScreen(...corner);
  context.drawImage(bitmap, x, y, bitmap.width * camera.scale, bitmap.height * camera.scale);
}
