//

const WAYS = {
  nothing: 'As drawn',
  cover: 'Cover',
  trim: 'Trim',
  gusset: 'Gusset',
  cap: 'Round ends',
  cap_cover: 'Round ends, cover',
  cap_trim: 'Round ends, trim',
  blend_cover: 'Widths blended, cover',
};

export const wayWord = (one) =>
  one.to ? `Joint moved ${one.by} px, ${WAYS[one.treatment].toLowerCase()}` : WAYS[one.treatment];

const TILES = 5;

export function tiles(url) {
  return Array.from({ length: TILES }, (_, k) => ({
    key: k,
    style: {
      backgroundImage: `url(${url})`,
      backgroundSize: `${TILES * 100}% 100%`,
      backgroundPosition: `${(k / (TILES - 1)) * 100}% 0`,
    },
  }));
}

/** An angle in words; nothing while it is not known yet. */
export const told = (angle) => (Number.isFinite(angle) ? `${Math.round(angle)}°` : '');
