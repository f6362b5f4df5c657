import { t } from "../text";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { Inspection } from "../data/bakes";
import { showNumber } from "../data/number";
import { Choice } from "../ui/choice";
import { cubesOf, type Cubes, type Source } from "./source";

const SIDE = 430;
const axes = ["x", "y", "z"] as const;

/** A volume as slices along three axes, and shaded from the side. */
export function VolumeView({ source, inspection }: { source: Source; inspection: Inspection }) {
  const [grid, setGrid] = useState(0);
  const cubes = useQuery({
    queryKey: ["cubes", source, grid],
    queryFn: () => cubesOf(source, grid),
    staleTime: Infinity,
  });
  const facts = inspection.grids[grid];
  return (
    <div className="absolute inset-0 overflow-y-auto bg-surround p-4" data-testid="volume-view">
      <div className="mb-3 flex items-center gap-3">
        {inspection.grids.length > 1 && (
          <div className="w-60">
            <Choice
              label={t("Grid")}
              value={String(grid)}
              options={inspection.grids.map((g, i) => ({ value: String(i), title: g.name }))}
              onChange={(v) => setGrid(Number(v))}
            />
          </div>
        )}
        {facts && (
          <p className="rounded-soft bg-panel px-2 py-1">
            <span className="font-value">{facts.name}</span>, {facts.values},{" "}
            <span className="font-value">{showNumber(facts.active_voxels / 1e6)}</span>
            {t(" million voxels of")} <span className="font-value">{showNumber(facts.voxel_m[0])} m</span>
            {t(", values")}{" "}
            <span className="font-value">
              {t("{{smallest}} to {{largest}}", {
                smallest: showNumber(facts.smallest),
                largest: showNumber(facts.largest),
              })}
            </span>
          </p>
        )}
      </div>
      {cubes.isError && <p role="alert">{cubes.error.message}</p>}
      {cubes.data && facts && (
        <div className="flex flex-wrap items-start gap-4">
          <Shaded
            cubes={cubes.data}
            perCube={Number(facts.metadata.extinction_per_m ?? 0.05) * facts.voxel_m[0] * cubes.data.step}
          />
          {axes.map((axis, k) => (
            <Slice key={`${axis} ${grid}`} cubes={cubes.data} axis={k} name={axis} most={facts.largest} />
          ))}
        </div>
      )}
    </div>
  );
}

const indexOf = ({ size }: Cubes, x: number, y: number, z: number) => (x * size[1] + y) * size[2] + z;

/** The slice with the most in it. */
function fullest(cubes: Cubes, axis: number): number {
  const sums = new Float64Array(Math.max(1, cubes.size[axis] ?? 1));
  const [nx, ny, nz] = cubes.size;
  for (let x = 0; x < nx; x++)
    for (let y = 0; y < ny; y++)
      for (let z = 0; z < nz; z++) {
        const k = [x, y, z][axis] ?? 0;
        sums[k] = (sums[k] ?? 0) + (cubes.values[indexOf(cubes, x, y, z)] ?? 0);
      }
  return sums.indexOf(Math.max(...sums));
}

/** One slice; the other two axes are drawn with y up, or z up where y is cut. */
function Slice({ cubes, axis, name, most }: { cubes: Cubes; axis: number; name: string; most: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const count = cubes.size[axis] ?? 1;
  const [at, setAt] = useState(() => fullest(cubes, axis));
  const [across, up] = axis === 0 ? [2, 1] : axis === 1 ? [0, 2] : [0, 1];
  const [width, height] = [cubes.size[across] ?? 1, cubes.size[up] ?? 1];
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || width < 1 || height < 1) return;
    const image = context.createImageData(width, height);
    for (let j = 0; j < height; j++)
      for (let i = 0; i < width; i++) {
        const p = [0, 0, 0];
        p[axis] = at;
        p[across] = i;
        p[up] = height - 1 - j;
        const value = cubes.values[indexOf(cubes, p[0] ?? 0, p[1] ?? 0, p[2] ?? 0)] ?? 0;
        const grey = 38 + 217 * Math.sqrt(Math.min(1, value / Math.max(most, 1e-9)));
        image.data.set([grey, grey, grey, 255], 4 * (j * width + i));
      }
    context.putImageData(image, 0, 0);
  }, [cubes, axis, at, across, up, width, height, most]);
  return (
    <figure className="bg-panel p-2">
      <canvas
        ref={canvas}
        width={width}
        height={height}
        aria-label={t("Slice along {{name}}", { name })}
        style={fitted(width, height)}
      />
      <figcaption className="flex items-center gap-2 text-small text-quiet">
        {name}
        <input
          type="range"
          aria-label={t("Place of the slice along {{name}}", { name })}
          min={0}
          max={Math.max(0, count - 1)}
          value={at}
          onChange={(e) => setAt(Number(e.target.value))}
          className="flex-1 accent-accent"
        />
        <span className="font-value">{at * cubes.step}</span>
      </figcaption>
    </figure>
  );
}

/** Seen along z, lit from above: what is left of the light in each cube, and what of it reaches the eye. */
function Shaded({ cubes, perCube }: { cubes: Cubes; perCube: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [nx, ny, nz] = cubes.size;
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || nx < 1 || ny < 1) return;
    const image = context.createImageData(nx, ny);
    // Forward scattering lets through far more than extinction does.
    const forward = 0.15;
    const lit = new Float32Array(cubes.values.length);
    for (let x = 0; x < nx; x++)
      for (let z = 0; z < nz; z++) {
        let light = 1;
        for (let y = ny - 1; y >= 0; y--) {
          const i = indexOf(cubes, x, y, z);
          light *= Math.exp(-(cubes.values[i] ?? 0) * perCube * forward);
          lit[i] = 0.25 + 0.75 * light;
        }
      }
    for (let y = 0; y < ny; y++)
      for (let x = 0; x < nx; x++) {
        let [left, sum] = [1, 0];
        for (let z = 0; z < nz && left > 0.01; z++) {
          const i = indexOf(cubes, x, y, z);
          const stop = 1 - Math.exp(-(cubes.values[i] ?? 0) * perCube);
          sum += left * stop * (lit[i] ?? 0);
          left *= 1 - stop;
        }
        const mix = (back: number) => 255 * (sum + left * back);
        // x counts westward: it is drawn from the right.
        image.data.set([mix(0.3), mix(0.34), mix(0.4), 255], 4 * ((ny - 1 - y) * nx + (nx - 1 - x)));
      }
    context.putImageData(image, 0, 0);
  }, [cubes, perCube, nx, ny, nz]);
  return (
    <figure className="bg-panel p-2">
      <canvas
        ref={canvas}
        width={nx}
        height={ny}
        aria-label={t("Shaded, seen from the south")}
        style={fitted(nx, ny)}
      />
      <figcaption className="text-small text-quiet">{t("shaded, from the south, lit from above")}</figcaption>
    </figure>
  );
}

function fitted(width: number, height: number) {
  const scale = SIDE / Math.max(width, height, 1);
  return { width: width * scale, height: height * scale, imageRendering: "pixelated" as const };
}
