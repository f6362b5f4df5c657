import { t } from "../text";
import { Popover } from "radix-ui";
import { useEffect, type ReactNode } from "react";
import { create } from "zustand";
import { Button } from "./button";

/** Something to tell: what was done, or a fault that stands until it is mended. */
export type Notice = {
  /** A later notice with the same key takes its place. */
  key: string;
  words: string;
  /** Something is wrong, and stands until it is cleared; else it can be closed. */
  fault?: boolean;
  act?: { words: string; run: () => void } | undefined;
};

/** All that is told now, newest first. */
export const useNotices = create<{ list: Notice[] }>(() => ({ list: [] }));

/** Tells something on the window's lower edge. */
export function tell(notice: Notice) {
  const { list } = useNotices.getState();
  const known = list.find((n) => n.key === notice.key);
  // A fault that is told with every try is one.
  if (known?.fault && notice.fault && known.words === notice.words) return;
  useNotices.setState({ list: [notice, ...list.filter((n) => n.key !== notice.key)] });
}

/** Takes a notice back: its fault is mended, or what it said is past. */
export function clearNotice(key: string) {
  const { list } = useNotices.getState();
  if (list.some((n) => n.key === key)) useNotices.setState({ list: list.filter((n) => n.key !== key) });
}

/** A fault while there is one, nothing otherwise. */
export function tellFault(key: string, words: string | null | undefined) {
  if (words) tell({ key, words, fault: true });
  else clearNotice(key);
}

/** The same of a view, as long as it is open. */
export function useFault(key: string, words: string | null | undefined) {
  useEffect(() => tellFault(key, words), [key, words]);
  useEffect(() => () => clearNotice(key), [key]);
}

const One = ({ notice, whole = false }: { notice: Notice; whole?: boolean }) => (
  <p
    role={notice.fault ? "alert" : "status"}
    data-testid={`notice-${notice.key}`}
    className="flex min-w-0 items-center gap-1"
  >
    {notice.fault && (
      <span aria-hidden className="shrink-0 rounded-soft border border-edge px-1 text-small">
        {t("fault")}
      </span>
    )}
    <span className={whole ? "" : "truncate"} title={whole ? undefined : notice.words}>
      {notice.words}
    </span>
    {notice.act && (
      <Button weight="quiet" className="px-1 py-0 underline" onClick={notice.act.run}>
        {notice.act.words}
      </Button>
    )}
    {!notice.fault && (
      <Button weight="quiet" className="px-1 py-0" onClick={() => clearNotice(notice.key)}>
        {t("Close")}
      </Button>
    )}
  </p>
);

/** The one place where things are told: the window's lower edge, in every view. Faults come first. */
export function NoticeLine({ children }: { children?: ReactNode }) {
  const list = useNotices((s) => s.list);
  const [first, ...more] = [...list.filter((n) => n.fault), ...list.filter((n) => !n.fault)];
  return (
    <footer
      data-testid="notices"
      aria-label={t("Notices")}
      className="flex h-7 shrink-0 items-center gap-4 border-t border-line bg-bench px-3"
    >
      {children}
      {first && <One notice={first} />}
      {more.length > 0 && (
        <Popover.Root>
          <Popover.Trigger
            className={"min-h-6 shrink-0 cursor-pointer px-1 text-quiet underline hover:text-ink"}
          >
            {t("{{value}} more", { value: more.length })}
          </Popover.Trigger>
          <Popover.Portal>
            <Popover.Content
              side="top"
              align="start"
              sideOffset={4}
              aria-label={t("More notices")}
              className="z-30 max-w-xl rounded-soft border border-line bg-panel p-3 shadow-float"
            >
              {more.map((n) => (
                <One key={n.key} notice={n} whole />
              ))}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      )}
    </footer>
  );
}
