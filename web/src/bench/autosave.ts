/**
 * Saving by itself: soon after each change, on leaving, and again after an outage. Changes made
 * elsewhere are merged.
 */

import { api, Refusal, type SkyRecord } from "../data/api";
import { apply, changesOf, merge, type Change } from "../data/changes";
import type { Sky } from "../data/sky";
import { useBench, type Saving } from "./bench-store";
import { keepHistory } from "./history";

/** What could not be saved before the page was closed: the document, and the one it was made from. */
type Kept = { revision: number; base?: Sky; sky: Sky };

/** What of the Bench is kept. */
type Open = { record: SkyRecord | null; sky: Sky | null; saving: Saving };

const keyOf = (id: string) => `tenter:unsaved:${id}`;
const same = (a: Sky, b: Sky) => changesOf(a, b).length === 0;

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

const forget = (id: string) => localStorage.removeItem(keyOf(id));

let timer: ReturnType<typeof setTimeout> | undefined;
let running = false;
/** Of a save whose answer may have been lost: the same again is the same save. */
let last: { sky: Sky; revision: number; key: string } | null = null;

function keyFor(sky: Sky, revision: number): string {
  if (last?.sky !== sky || last.revision !== revision) last = { sky, revision, key: crypto.randomUUID() };
  return last.key;
}

/** Saves soon, or again after a while when the server is away. */
export function scheduleSave(after = 500) {
  clearTimeout(timer);
  timer = setTimeout(() => void save(), after);
}

async function save() {
  const { record, sky, saving, setSaving } = useBench.getState();
  if (!record || !sky || saving.state === "stale") return;
  if (running) return scheduleSave();
  running = true;
  try {
    const { revision } = await api.save(record.id, record.revision, sky, keyFor(sky, record.revision));
    const now = useBench.getState();
    if (now.record?.id !== record.id) return;
    useBench.setState({ record: { ...now.record, revision, document: sky } });
    if (now.sky && same(now.sky, sky)) {
      forget(record.id);
      setSaving({ state: "saved" });
    } else {
      keepChange(useBench.getState());
      scheduleSave();
    }
  } catch (e) {
    if (useBench.getState().record?.id !== record.id) return;
    if (!(e instanceof Refusal) || e.isAway) {
      setSaving({ state: "away" });
      scheduleSave(2000);
    } else if (e.status === 409) await mergeStored();
    else setSaving({ state: "refused", problems: e.problems, message: e.message });
  } finally {
    running = false;
  }
}

/** Leaves nothing behind unsaved: on another view, another page, or when the window closes. */
export function saveNow() {
  clearTimeout(timer);
  const { record, sky, past, future, saving } = useBench.getState();
  if (!record || !sky) return;
  keepHistory(record.id, sky, { past, future });
  if (same(record.document, sky) || saving.state === "stale" || saving.state === "refused") return;
  keepChange({ record, sky, saving });
  // The page may be gone before the answer comes; what is kept is compared when the sky is opened again.
  void api.save(record.id, record.revision, sky, keyFor(sky, record.revision), true).then(
    () => {
      const kept = keptChange(record.id);
      if (kept && same(kept.sky, sky)) forget(record.id);
    },
    () => undefined,
  );
}

/** Takes what was stored elsewhere together with what is on the Bench; asks where both changed the same. */
async function mergeStored() {
  const { record } = useBench.getState();
  if (!record) return;
  const stored = await api.sky(record.id);
  const { record: base, sky, past, future } = useBench.getState();
  if (!base || !sky || base.id !== stored.id) return;
  const theirs = changesOf(base.document, stored.document);
  const { merged, conflicts } = merge(base.document, sky, stored.document);
  useBench.setState({
    record: stored,
    sky: merged,
    // What others changed is in every step, so that undo does not take it back.
    past: past.map((s) => apply(s, theirs)),
    future: future.map((s) => apply(s, theirs)),
    saving: conflicts.length > 0 ? { state: "stale", conflicts, base: base.document } : { state: "unsaved" },
  });
  keepChange(useBench.getState());
  if (conflicts.length > 0) return;
  useBench.getState().say("Changes made elsewhere were taken in.");
  scheduleSave(0);
}

/** Where both changed the same: keeps what was on this Bench, or takes what is stored. */
export function resolveConflicts(keepMine: boolean) {
  const { sky, past, saving } = useBench.getState();
  if (!sky || saving.state !== "stale") return;
  const mine = apply(sky, saving.conflicts);
  useBench.setState({
    sky: keepMine ? mine : sky,
    // The other choice is one undo away.
    past: [...past, keepMine ? sky : mine],
    future: [],
    saving: { state: "unsaved" },
  });
  keepChange(useBench.getState());
  scheduleSave(0);
}

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
