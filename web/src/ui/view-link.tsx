import type { ReactNode } from "react";
import { go } from "../route";

/** A link to a view of this page, that opens in another tab as links do. */
export function ViewLink({
  path,
  id,
  className = "",
  apart = false,
  children,
}: {
  path: string;
  id?: string;
  className?: string;
  /** Beside a link in words to the same place: for the pointer alone. */
  apart?: boolean;
  children: ReactNode;
}) {
  return (
    <a
      href={path}
      id={id}
      className={className}
      {...(apart ? { tabIndex: -1, "aria-hidden": true } : {})}
      onClick={(e) => {
        if (e.ctrlKey || e.metaKey || e.shiftKey || e.button !== 0) return;
        e.preventDefault();
        go(path);
      }}
    >
      {children}
    </a>
  );
}
