// The shapes bones are drawn in, as SVG paths.

function along(joint, tip) {
  const length = Math.max(Math.hypot(tip[0] - joint[0], tip[1] - joint[1]), 0.01);
  const ux = (tip[0] - joint[0]) / length;
  const uy = (tip[1] - joint[1]) / length;
  return { length, at: (t, off) => [joint[0] + ux * t * length - uy * off, joint[1] + uy * t * length + ux * off] };
}

/** A slim wooden dowel, a little thicker at the joint. */
export function dowel(joint, tip) {
  const { length, at } = along(joint, tip);
  const thick = Math.min(4.6, 1.4 + length / 14);
  const path = [
    at(0, -thick),
    at(0.9, -thick * 0.62),
    at(1, -thick * 0.2),
    at(1, thick * 0.2),
    at(0.9, thick * 0.62),
    at(0, thick),
  ];
  return `M${path.map((point) => point.map((one) => one.toFixed(1)).join(' ')).join('L')}Z`;
}

/** The dowel of a spring bone is drawn as a coil. */
export function coil(joint, tip) {
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

export function notchAt(joint, tip) {
  const { length, at } = along(joint, tip);
  const back = Math.max(0, 1 - 7 / length);
  return `M${at(back, -3).join(' ')}L${at(back, 3).join(' ')}`;
}
