import { t } from "../text";
import { useEffect, useRef, useState } from "react";
import type { Inspection } from "../data/bakes";
import { irradianceAt, placeIn, towardDeg, withoutLights, type Direction3 } from "./geometry";
import { indexAt, put, type Shown } from "./shading";
import type { Pixels } from "./source";

const SIDE = 92;
const GREY = 0.18;

/** Reflectances of the chart, by row: greys in equal ratios, then hues of three strengths. */
const patches: Direction3[] = Array.from({ length: 24 }, (_, i) => {
  if (i < 6) return [0, 0, 0].map(() => 0.9 * (0.03 / 0.9) ** (i / 5)) as Direction3;
  const [row, column] = [Math.floor(i / 6), i % 6];
  const hue = (2 * Math.PI * (column + row / 3)) / 6;
  const strength = [0, 0.85, 0.55, 0.3][row] ?? 0;
  return [0, 2.094, 4.189].map((shift) => 0.28 * (1 + strength * Math.cos(hue - shift))) as Direction3;
});

/** A grey ball, a mirror ball and a matte chart in the light of a panorama; turned by hand. */
export function LitThings({
  inspection,
  pixels,
  shown,
}: {
  inspection: Inspection;
  pixels: Pixels;
  shown: Shown;
}) {
  const [azimuth, setAzimuth] = useState(inspection.heading_deg);
  const held = useRef<{ x: number; azimuth: number } | null>(null);
  const { panorama, irradiance_sh, white_luminance: unit } = inspection;
  if (!panorama || !irradiance_sh) return null;
  // Lights are too sharp for harmonics: those of the sidecar are taken out of them and added by themselves.
  const lights = (inspection.lights ?? []).map((light) => {
    const [x = 0, y = 0, z = 0] = light.direction;
    return { toward: [-x, z, y] as Direction3, rgb: light.illuminance_rgb, inMap: light.in_map };
  });
  const sh = withoutLights(
    irradiance_sh,
    lights.filter((light) => light.inMap),
  );
  /** Radiance in values of the file from a direction; nothing where the file shows none. */
  const from = (d: Direction3): Direction3 => {
    const place = placeIn(panorama, d, inspection.heading_deg);
    if (!place) return [0, 0, 0];
    const i = indexAt(pixels, place[0], place[1]);
    return [pixels.values[i] ?? 0, pixels.values[i + 1] ?? 0, pixels.values[i + 2] ?? 0];
  };
  /** What a matte surface of reflectance 1 sends out: light of the map, and of lights apart from it. */
  const matte = (n: Direction3): Direction3 => {
    const sum = irradianceAt(sh, n);
    for (const { toward, rgb } of lights) {
      const cos = Math.max(0, toward[0] * n[0] + toward[1] * n[1] + toward[2] * n[2]);
      for (let c = 0; c < 3; c++) sum[c] = (sum[c] ?? 0) + (rgb[c] ?? 0) * cos;
    }
    return sum.map((v) => v / Math.PI / unit) as Direction3;
  };
  // The things are looked at along a level line; right and up of the viewer.
  const forward = towardDeg(azimuth, 0);
  const right = towardDeg(azimuth + 90, 0);
  const normalAt = (x: number, y: number): Direction3 | null => {
    const rest = 1 - x * x - y * y;
    if (rest < 0) return null;
    const z = Math.sqrt(rest);
    return [0, 1, 2].map(
      (k) => (right[k] ?? 0) * x + (k === 2 ? y : 0) - (forward[k] ?? 0) * z,
    ) as Direction3;
  };
  const mirror = (x: number, y: number): Direction3 | null => {
    const n = normalAt(x, y);
    if (!n) return null;
    const dot = forward.reduce((s, v, k) => s + v * (n[k] ?? 0), 0);
    return from(forward.map((v, k) => v - 2 * dot * (n[k] ?? 0)) as Direction3);
  };
  const grey = (x: number, y: number): Direction3 | null => {
    const n = normalAt(x, y);
    return n && (matte(n).map((v) => v * GREY) as Direction3);
  };
  const facing = matte(forward.map((v) => -v) as Direction3);
  const chart = (x: number, y: number): Direction3 | null => {
    const [u, v] = [((x + 1) / 2) * 6, ((1 - y) / 2) * 6 - 1];
    if (v < 0 || v >= 4) return null;
    const gap = Math.min(u % 1, 1 - (u % 1), v % 1, 1 - (v % 1)) < 0.05;
    const patch = patches[6 * Math.floor(v) + Math.floor(u)] ?? [0, 0, 0];
    return facing.map((e, c) => e * (gap ? 0.02 : (patch[c] ?? 0))) as Direction3;
  };
  return (
    <div
      data-testid="lit-things"
      className="flex cursor-ew-resize touch-none flex-wrap gap-2"
      title={t("Drag to turn")}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        held.current = { x: e.clientX, azimuth };
      }}
      onPointerMove={(e) => {
        if (held.current) setAzimuth((held.current.azimuth - (e.clientX - held.current.x) + 720) % 360);
      }}
      onPointerUp={() => (held.current = null)}
    >
      <Thing title={t("Grey ball")} of={grey} shown={shown} deps={[azimuth, pixels, inspection, shown]} />
      <Thing title={t("Mirror ball")} of={mirror} shown={shown} deps={[azimuth, pixels, inspection, shown]} />
      <Thing title={t("Matte chart")} of={chart} shown={shown} deps={[azimuth, pixels, inspection, shown]} />
      <p className="self-end text-small text-quiet">
        {t("seen toward ")}
        <span className="font-value">{azimuth.toFixed(0)}°</span>
        {t("; drag to turn")}
      </p>
    </div>
  );
}

/** A small square picture; `of` gives its light from -1 to 1, right and up. */
function Thing({
  title,
  of,
  shown,
  deps,
}: {
  title: string;
  of: (x: number, y: number) => Direction3 | null;
  shown: Shown;
  deps: unknown[];
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    const image = context.createImageData(SIDE, SIDE);
    for (let y = 0; y < SIDE; y++)
      for (let x = 0; x < SIDE; x++) {
        const light = of((2 * (x + 0.5)) / SIDE - 1, 1 - (2 * (y + 0.5)) / SIDE);
        if (light) put(image.data, 4 * (y * SIDE + x), light, shown);
      }
    context.putImageData(image, 0, 0);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, deps);
  return (
    <figure>
      <canvas ref={canvas} width={SIDE} height={SIDE} aria-label={title} />
      <figcaption className="text-small text-quiet">{title}</figcaption>
    </figure>
  );
}
