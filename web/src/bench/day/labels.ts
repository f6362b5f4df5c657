/** A text along a line: where its middle stands, and what it says. */
export type Label = { at: number; text: string };

/** Width of a digit of the small value font, px. */
const DIGIT = 6.4;
const GAP = 8;

/**
 * Those labels that have room between two ends without lying over one another; the first ones are asked
 * first, and are pushed inside at the ends.
 */
export function withRoom(labels: Label[], left: number, right: number): Label[] {
  const placed: (Label & { half: number })[] = [];
  for (const label of labels) {
    const half = (label.text.length * DIGIT) / 2;
    const at = Math.max(left + half, Math.min(right - half, label.at));
    if (placed.every((p) => Math.abs(p.at - at) >= p.half + half + GAP)) placed.push({ ...label, at, half });
  }
  return placed.map(({ at, text }) => ({ at, text }));
}

/** Where the names of two curves stand: each at its highest point, the second elsewhere if they meet. */
export function namePlaces<P>(
  points: P[],
  first: (p: P) => [number, number],
  second: (p: P) => [number, number],
): [[number, number], [number, number]] {
  const highest = (of: (p: P) => [number, number], among: P[]) =>
    among.map(of).reduce((a, b) => (b[1] < a[1] ? b : a));
  const a = highest(first, points);
  const apart = ([x, y]: [number, number]) => Math.abs(x - a[0]) > 70 || Math.abs(y - a[1]) > 22;
  const b = highest(second, points);
  if (apart(b)) return [a, b];
  const free = points.filter((p) => apart(second(p)));
  return [a, free.length > 0 ? highest(second, free) : b];
}
