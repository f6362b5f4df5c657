import { t } from "../text";
/** What was deleted while the page is open, last first, and how it comes back. */

import { queryClient } from "../data/query-client";
import { clearNotice, tell } from "./notices";

type Deleted = {
  name: string;
  /** Key of the list that it was in. */
  list: string;
  /** Whether it lies in the bin, beside being one press away. */
  inBin?: boolean;
  restore: () => Promise<unknown>;
};

const KEY = "deleted";
let list: Deleted[] = [];

/** Says what was deleted; each press brings one back, the last first. */
export function wasDeleted(one: Deleted) {
  list = [one, ...list];
  say();
}

async function bringBack() {
  const [last, ...others] = list;
  if (!last) return;
  try {
    await last.restore();
    list = others;
    say();
    await queryClient.invalidateQueries({ queryKey: [last.list] });
  } catch (e) {
    tell({
      key: t("restore"),
      words: t("“{{name}}” did not come back: {{message}}", {
        name: last.name,
        message: (e as Error).message,
      }),
    });
  }
}

function say() {
  const last = list[0];
  if (!last) return clearNotice(KEY);
  const others = list.length > 1 ? t(" and {{value}} more", { value: list.length - 1 }) : "";
  const where = last.inBin ? t("in the bin") : "deleted";
  const words = `“${last.name}”${others} ${list.length > 1 ? "are" : "is"} ${where}.`;
  tell({ key: KEY, words, act: { words: t("Undo"), run: () => void bringBack() } });
}
