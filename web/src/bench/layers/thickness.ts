import type { Schema } from "../../data/fields";
import type { CloudLayer } from "../../data/sky";

/** Density of what a kind is made of, g/cm3. */
const densityOf = (schema: Schema, l: CloudLayer) => (schema.ice.includes(l.kind) ? 0.917 : 1);
/** The drawn profile at a share of the depth: straight between points, level past the outermost. */
function profileAt(l: CloudLayer, height: number): number {
  const sorted = [...l.profile].sort((a, b) => a.height - b.height);
  const above = sorted.find((p) => p.height > height);
  const below = sorted.filter((p) => p.height <= height).at(-1);
  if (!above || !below) return (below ?? above)?.density ?? 1;
  const share = (height - below.height) / (above.height - below.height);
  return below.density + (above.density - below.density) * share;
}

/** Metres of core in a column: uneven layers leave room, a profile thins or thickens. */
function filledDepthOf(l: CloudLayer): number {
  const STEPS = 64;
  let mean = 0;
  for (let i = 0; i < STEPS; i++) mean += profileAt(l, (i + 0.5) / STEPS) / STEPS;
  return Math.max(1e-9, l.depth_m * (1 - 0.5 * l.unevenness) * mean);
}

/** Optical thickness of the core's column, and the water content that gives it: 3 LWC / (2 rho r) * depth. */
export const thicknessOf = (schema: Schema, l: CloudLayer) =>
  ((1.5 * l.water_content_g_m3) / (densityOf(schema, l) * l.droplet_um)) * filledDepthOf(l);
/** Sets the water content, as far as it may go. */
export function setThickness(schema: Schema, l: CloudLayer, thickness: number) {
  const water = ((thickness / filledDepthOf(l)) * densityOf(schema, l) * l.droplet_um) / 1.5;
  l.water_content_g_m3 = Math.min(10, Number(water.toPrecision(5)));
}
