import type { CloudKind, CloudLayer, Sky } from "../../data/sky";

export const MOST_LAYERS = 12;

/** A layer's id that no other has: what it is called by, and a number where that is taken. */
function freeId(sky: Sky, wish: string): string {
  const taken = new Set(sky.clouds.map((l) => l.id));
  if (!taken.has(wish)) return wish;
  let n = 2;
  while (taken.has(`${wish}-${n}`)) n += 1;
  return `${wish}-${n}`;
}

/** Adds a layer to a document that is being changed; the new one's seed is not its neighbours'. */
export function addLayer(sky: Sky, layer: CloudLayer, id: string): CloudLayer {
  const added = structuredClone(layer);
  added.id = freeId(sky, id);
  while (sky.clouds.some((l) => l.kind === added.kind && l.seed === added.seed)) added.seed += 1;
  sky.clouds.push(added);
  return added;
}

/** The kind that is usual at an altitude: whose middle is nearest. */
export function kindAt(usual: Record<CloudKind, CloudLayer>, altitude: number): CloudKind {
  const away = (l: CloudLayer) => Math.abs(Math.log((l.base_m + 0.5 * l.depth_m) / Math.max(altitude, 100)));
  const kinds = Object.keys(usual) as CloudKind[];
  return kinds.reduce((a, b) => (away(usual[b]) < away(usual[a]) ? b : a));
}

/** Layers from the highest down, as the sky has them. */
export const fromTheTop = (sky: Sky): CloudLayer[] =>
  [...sky.clouds].sort((a, b) => b.base_m + b.depth_m - (a.base_m + a.depth_m));
