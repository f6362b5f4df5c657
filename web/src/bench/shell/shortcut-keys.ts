/** Keys of the Bench, in one place: what each does, and when they are for something else. */

/** What is open over the Bench and takes keys for itself: dialogs, lists and menus. */
const OVERLAYS = "[role=dialog], [role=alertdialog], [role=listbox], [role=menu]";
/** What has arrows, letters and Escape of its own while it has the focus. */
const OWN = "[data-own-keys]";
const TEXT = "input, textarea, select, [contenteditable]";

/** Whether a key is meant for the Bench. Asked before anything that is open has closed by it. */
export function isForBench(e: KeyboardEvent): boolean {
  if (document.querySelector(OVERLAYS)) return false;
  const target = e.target instanceof HTMLElement ? e.target : null;
  return !target?.closest(OWN);
}

/** Whether a key is typed into a text: letters are text there, and undo takes back what was typed. */
export function isTyping(e: KeyboardEvent): boolean {
  return e.target instanceof HTMLElement && e.target.matches(TEXT);
}

/** Whether a text holds what was typed and not yet entered. */
export function isUnentered(e: KeyboardEvent): boolean {
  return e.target instanceof HTMLElement && e.target.dataset.unentered === "true";
}
