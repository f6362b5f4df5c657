import { t } from "../../text";
/**
 * Saving by itself: soon after each change, on leaving, and again after an outage. Changes made
 * elsewhere are merged.
 */

import { api, Refusal } from "../../data/api";
import { apply, changesOf, merge } from "../../data/changes";
import type { Sky } from "../../data/sky";
import { useBench } from "./bench-store";
import { keepHistory } from "./history";
import { forget, keepChange, keptChange, same } from "./unsaved";

let timer: ReturnType<typeof setTimeout> | undefined;
let running = false;
/** Of a save whose answer may have been lost: the same again is the same save. */
let last: { sky: Sky; revision: number; key: string } | null = null;

function keyFor(sky: Sky, revision: number): string {
  if (last?.sky !== sky || last.revision !== revision) last = { sky, revision, key: crypto.randomUUID() };
  return last.key;
}

/** How soon changes and history are kept in the browser, ms: a moving hand does not wait for it. */
const KEEP_AFTER = 200;
let keeping: ReturnType<typeof setTimeout> | undefined;
/** Whether steps were made or undone since the history was kept: a moving hand makes none. */
let historyChanged = false;

/** Keeps the document and its history in the browser. */
function keep() {
  clearTimeout(keeping);
  keeping = undefined;
  const { record, sky, saving, past, future } = useBench.getState();
  if (!record || !sky) return;
  if (historyChanged) keepHistory(record.id, sky, { past, future });
  historyChanged = false;
  if (saving.state !== "saved") keepChange({ record, sky, saving });
}

useBench.subscribe((now, before) => {
  if (!now.record) return;
  const changed = now.sky !== before.sky || now.saving !== before.saving;
  historyChanged ||= now.past !== before.past || now.future !== before.future;
  if (changed || historyChanged) keeping ??= setTimeout(keep, KEEP_AFTER);
  if (changed && now.saving.state === "unsaved") scheduleSave();
});

/** Saves soon, or again after a while when the server is away. */
function scheduleSave(after = 500) {
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
  keep();
  const { record, sky, saving } = useBench.getState();
  if (!record || !sky) return;
  if (same(record.document, sky) || saving.state === "stale" || saving.state === "refused") return;
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
  useBench.getState().notify(t("Changes made elsewhere were taken in."));
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

// A page that is left, hidden or closed leaves nothing unsaved.
window.addEventListener("pagehide", saveNow);
document.addEventListener("visibilitychange", () => document.visibilityState === "hidden" && saveNow());
