/** Where labels stand on a chart so that they neither cover each other nor lie on a curve. */

export interface Spot {
  x: number;
  y: number;
  anchor: "start" | "middle" | "end";
}

export interface Wanted {
  id: string;
  words: string;
  /** Places in order of preference. */
  spots: Spot[];
}

export interface Box {
  x0: number;
  x1: number;
  y0: number;
  y1: number;
}

const ASCENT = 11;
const DESCENT = 4;

/** How wide a text is at 13 px, by the widths of its letters. */
export function widthOf(words: string) {
  let width = 0;
  for (const letter of words) width += WIDE.has(letter) ? 11.5 : NARROW.has(letter) ? 4.2 : 7.4;
  return width;
}
const WIDE = new Set("mwMW");
const NARROW = new Set("ijltfr.,: ");

/** What a label would cover. */
export function boxOf(words: string, { x, y, anchor }: Spot): Box {
  const width = widthOf(words);
  const x0 = anchor === "start" ? x : anchor === "end" ? x - width : x - width / 2;
  return { x0, x1: x0 + width, y0: y - ASCENT, y1: y + DESCENT };
}

function overlap(a: Box, b: Box) {
  const wide = Math.min(a.x1, b.x1) - Math.max(a.x0, b.x0);
  const high = Math.min(a.y1, b.y1) - Math.max(a.y0, b.y0);
  return wide > 0 && high > 0 ? wide * high : 0;
}

/** How many points a box covers; written without pieces to clear away, as it runs for every spot. */
function pointsIn(box: Box, points: readonly (readonly [number, number])[]) {
  let covered = 0;
  for (let i = 0; i < points.length; i++) {
    const point = points[i] as readonly [number, number];
    const x = point[0];
    if (x <= box.x0 - 2 || x >= box.x1 + 2) continue;
    const y = point[1];
    if (y > box.y0 - 1 && y < box.y1 + 1) covered++;
  }
  return covered;
}

/**
 * Choose a spot for each label, one after the other: none over another label or beyond the bounds,
 * and the one that lies on the fewest points of the curves. A label without a free spot is left out.
 */
export function placed(
  wanted: readonly Wanted[],
  curves: readonly (readonly [number, number])[],
  bounds: Box,
  keepOff: readonly Box[] = [],
): Map<string, Spot> {
  const taken: Box[] = [...keepOff];
  const found = new Map<string, Spot>();
  for (const label of wanted) {
    let best: { spot: Spot; box: Box; cost: number } | undefined;
    for (const [rank, spot] of label.spots.entries()) {
      const box = boxOf(label.words, spot);
      if (box.x0 < bounds.x0 || box.x1 > bounds.x1 || box.y0 < bounds.y0 || box.y1 > bounds.y1)
        continue;
      if (taken.some((other) => overlap(other, box) > 0)) continue;
      const cost = pointsIn(box, curves) * 3 + rank;
      if (!best || cost < best.cost) best = { spot, box, cost };
    }
    if (best) {
      taken.push(best.box);
      found.set(label.id, best.spot);
    }
  }
  return found;
}
