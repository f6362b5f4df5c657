/** Undo history of each sky, kept in the browser over reloads and other views. */

import { apply, changesOf, type Change } from "../../data/changes";
import type { Sky } from "../../data/sky";

/** Steps that are kept each way. */
const MOST_STEPS = 300;
const PREFIX = "tenter:history:";

/** `at`: the document; `past` and `future`: what leads from it to each one before and after, step by step. */
type Kept = { at: Sky; past: Change[][]; future: Change[][]; when: number };
export type History = { past: Sky[]; future: Sky[] };

/** Documents do not change, so what lies between two of them is found once. */
const found = new WeakMap<Sky, WeakMap<Sky, Change[]>>();

/** What leads from one document to another. */
export function between(from: Sky, to: Sky): Change[] {
  const known = found.get(from) ?? new WeakMap<Sky, Change[]>();
  found.set(from, known);
  const changes = known.get(to) ?? changesOf(from, to);
  known.set(to, changes);
  return changes;
}

/** Steps from a document along a list. */
function steps(at: Sky, list: Sky[]): Change[][] {
  return list.map((to, i) => between(list[i - 1] ?? at, to));
}

function walk(at: Sky, all: Change[][]): Sky[] {
  const list: Sky[] = [];
  for (const changes of all) list.push(apply(list.at(-1) ?? at, changes));
  return list;
}

export function keepHistory(id: string, at: Sky, { past, future }: History) {
  if (past.length === 0 && future.length === 0) return;
  const kept: Kept = {
    at,
    past: steps(at, past.slice(-MOST_STEPS).reverse()),
    future: steps(at, future.slice(0, MOST_STEPS)),
    when: Date.now(),
  };
  const text = JSON.stringify(kept);
  // Where there is no room, histories that were not touched for longest go first.
  for (;;) {
    try {
      localStorage.setItem(PREFIX + id, text);
      return;
    } catch {
      if (!dropOldest(id)) return;
    }
  }
}

function dropOldest(but: string): boolean {
  let oldest: { key: string; when: number } | null = null;
  for (let i = 0; i < localStorage.length; i++) {
    const key = localStorage.key(i);
    if (!key?.startsWith(PREFIX) || key === PREFIX + but) continue;
    const when = Number(/"when":(\d+)}$/.exec(localStorage.getItem(key) ?? "")?.[1] ?? 0);
    if (!oldest || when < oldest.when) oldest = { key, when };
  }
  if (oldest) localStorage.removeItem(oldest.key);
  return oldest !== null;
}

/**
 * The history of a sky whose document is now this one. If it was changed elsewhere, its last own state
 * is a step back.
 */
export function recallHistory(id: string, document: Sky): History {
  try {
    const kept = JSON.parse(localStorage.getItem(PREFIX + id) ?? "null") as Kept | null;
    if (!kept) return { past: [], future: [] };
    const past = walk(kept.at, kept.past).reverse();
    if (changesOf(kept.at, document).length > 0) return { past: [...past, kept.at], future: [] };
    return { past, future: walk(kept.at, kept.future) };
  } catch {
    return { past: [], future: [] };
  }
}
