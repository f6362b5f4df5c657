/** Changes that are not saved yet, kept in the browser. */

import type { SkyRecord } from "../../data/api";
import { apply, changesOf, merge, type Change } from "../../data/changes";
import type { Sky } from "../../data/sky";
import type { Saving } from "./document";

/** What could not be saved before the page was closed: the document, and the one it was made from. */
type Kept = { revision: number; base?: Sky; sky: Sky };

/** What of the Bench is kept. */
type Open = { record: SkyRecord | null; sky: Sky | null; saving: Saving };

const keyOf = (id: string) => `tenter:unsaved:${id}`;
export const same = (a: Sky, b: Sky) => changesOf(a, b).length === 0;

export function keptChange(id: string): Kept | null {
  try {
    return JSON.parse(localStorage.getItem(keyOf(id)) ?? "null");
  } catch {
    return null;
  }
}

/** Keeps what is not saved in the browser; with a conflict, so that it is found again. */
export function keepChange({ record, sky, saving }: Open) {
  if (!record || !sky) return;
  const kept: Kept =
    saving.state === "stale"
      ? { revision: record.revision, base: saving.base, sky: apply(sky, saving.conflicts) }
      : { revision: record.revision, base: record.document, sky };
  try {
    localStorage.setItem(keyOf(record.id), JSON.stringify(kept));
  } catch {
    // No room in the browser: what is on the Bench is saved all the same.
  }
}

export const forget = (id: string) => localStorage.removeItem(keyOf(id));

/** A sky as it is opened: what was not saved last time is merged into what is stored. */
export function restored(record: SkyRecord): {
  sky: Sky;
  conflicts: Change[];
  changed: boolean;
  base: Sky;
} {
  const kept = keptChange(record.id);
  const base = kept?.base ?? record.document;
  if (!kept) return { sky: record.document, conflicts: [], changed: false, base };
  const { merged, conflicts } = merge(base, kept.sky, record.document);
  const changed = conflicts.length > 0 || !same(merged, record.document);
  if (!changed) forget(record.id);
  return { sky: merged, conflicts, changed, base };
}
