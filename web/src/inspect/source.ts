/** Where a file that is looked at comes from, and its pixels. */

import { api } from "../data/api";
import type { Inspection } from "../data/bakes";

export type Source = { by: "bake"; id: string; name: string } | { by: "sent"; id: string };

/** The address of a file's view. */
export const inspectPath = (source: Source) =>
  source.by === "bake"
    ? `/inspect/bake/${source.id}/${encodeURIComponent(source.name)}`
    : `/inspect/sent/${source.id}`;

/** The file of an address; null where no file is named. */
export function sourceOf(path: string): Source | null {
  const baked = /^\/inspect\/bake\/([0-9a-f-]{36})\/(.+)$/.exec(path);
  if (baked) return { by: "bake", id: baked[1] ?? "", name: decodeURIComponent(baked[2] ?? "") };
  const sent = /^\/inspect\/sent\/([0-9a-f-]{36})$/.exec(path);
  return sent ? { by: "sent", id: sent[1] ?? "" } : null;
}

export const inspection = (source: Source): Promise<Inspection> =>
  source.by === "bake" ? api.inspectBake(source.id, source.name) : api.inspectSent(source.id);

/** RGBA rows from the top, in values of the file. */
export type Pixels = { width: number; height: number; values: Float32Array };
/** Mean densities of cubes: x slowest, z fastest. */
export type Cubes = { size: [number, number, number]; step: number; values: Float32Array };

async function floats(source: Source, part: number, width: number, head: number) {
  const at =
    source.by === "bake"
      ? `/api/bakes/${source.id}/view/${encodeURIComponent(source.name)}`
      : `/api/inspections/${source.id}/view`;
  const response = await fetch(`${at}?part=${part}&width=${width}`);
  if (!response.ok) {
    const problem = await response.json().catch(() => ({}));
    throw new Error(problem.detail ?? response.statusText);
  }
  const buffer = await response.arrayBuffer();
  return { head: new Uint32Array(buffer, 0, head), values: new Float32Array(buffer, 4 * head) };
}

export async function pixelsOf(source: Source, part: number): Promise<Pixels> {
  const { head, values } = await floats(source, part, 1536, 3);
  return { width: head[0] ?? 0, height: head[1] ?? 0, values };
}

export async function cubesOf(source: Source, grid: number): Promise<Cubes> {
  const { head, values } = await floats(source, grid, 128, 4);
  return { size: [head[0] ?? 0, head[1] ?? 0, head[2] ?? 0], step: head[3] ?? 1, values };
}
