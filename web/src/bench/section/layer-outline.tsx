import { type CloudLayer, familyOf } from "../../data/sky";

/** A layer and where it is drawn. */
type Band = { layer: CloudLayer; y: (h: number) => number; left: number; right: number };

/** The layer's outline: as much of the width as its cover, heaped, rolled or drawn out. */
export function LayerOutline({ layer, y, left, right }: Band) {
  const isCumuliform = familyOf[layer.kind] === "cumuliform";
  if (familyOf[layer.kind] === "cirriform" && layer.kind !== "cirrostratus")
    return <Streaks {...{ layer, y, left, right }} />;
  // Few wide bodies: narrow ones would look like towers on this scale of altitude.
  const bodies = layer.cover < 0.4 ? 2 : 3;
  const pitch = (right - left) / bodies;
  const base = y(layer.base_m);
  const paths = Array.from({ length: bodies }, (_, i) => {
    // A fixed pattern from the seed: the drawing stands for the layer, the Picture shows the clouds.
    const vary = (k: number) =>
      (((Math.sin((i + 1) * 12.9898 + k * 37.719 + layer.seed * 78.233) * 43758.5453) % 1) + 1) % 1;
    const share = Math.min(1, layer.cover * (0.8 + 0.4 * vary(0)));
    if (share * pitch < 1) return "";
    const w = pitch * (isCumuliform ? Math.max(0.6, Math.sqrt(share)) : share);
    const x = left + pitch * i + (pitch - w) * vary(0);
    if (isCumuliform) return heap(x, w, base, y(layer.base_m + layer.depth_m * (0.6 + 0.4 * vary(1))), vary);
    const top = y(layer.base_m + layer.depth_m * (0.85 + 0.15 * vary(0)));
    return `M${x} ${base} Q${x} ${top} ${x + Math.min(w, 8)} ${top} H${x + w - Math.min(w, 8)} Q${x + w} ${top} ${x + w} ${base} Z`;
  });
  const density = Math.min(
    0.75,
    0.2 + 0.15 * Math.log10(1 + 1.5 * (layer.water_content_g_m3 / layer.droplet_um) * layer.depth_m),
  );
  return (
    <path
      d={paths.join(" ")}
      fill="#ececec"
      fillOpacity={layer.muted ? 0.1 : density}
      stroke="#ececec"
      strokeWidth={0.75}
    />
  );
}

/** A body of lumps on a flat base, the tallest of them up to `top`. */
function heap(x: number, w: number, base: number, top: number, vary: (k: number) => number): string {
  const LUMPS = 7;
  const peak = 0.35 + 0.3 * vary(2);
  const height = (u: number) => Math.max(0, 1 - ((u - peak) / (u < peak ? peak : 1 - peak)) ** 2);
  const edge = Array.from({ length: LUMPS + 1 }, (_, k) => {
    const u = k / LUMPS;
    const rough = k === 0 || k === LUMPS ? 0 : 0.85 + 0.15 * vary(3 + k);
    return [x + w * u, base - (base - top) * Math.sqrt(height(u)) * rough] as const;
  });
  const lumps = edge.slice(1).map(([px, py], k) => {
    const [fromX, fromY] = edge[k] ?? [x, base];
    const r = (0.68 * Math.hypot(px - fromX, py - fromY)).toFixed(1);
    return `A${r} ${r} 0 0 1 ${px.toFixed(1)} ${py.toFixed(1)}`;
  });
  return `M${x} ${base} ${lumps.join(" ")} Z`;
}

/** A layer of streaks: strokes that trail behind their heads, as many as its cover. */
function Streaks({ layer, y, left, right }: Band) {
  const count = Math.max(1, Math.round(layer.cover * 14));
  const [top, base] = [y(layer.base_m + layer.depth_m), y(layer.base_m)];
  const pitch = (right - left) / count;
  const trail = Math.min(40, 8 + layer.lean_deg * 0.45);
  const strokes = Array.from({ length: count }, (_, i) => {
    const x = Math.max(left + trail, left + pitch * (i + 0.85));
    return `M${x} ${top} q-2 ${(base - top) * 0.6} -${trail} ${base - top}`;
  });
  return (
    <path
      d={strokes.join(" ")}
      fill="none"
      stroke="#ececec"
      strokeOpacity={layer.muted ? 0.15 : 0.7}
      strokeWidth={1.25}
    />
  );
}
