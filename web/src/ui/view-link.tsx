import type { ReactNode } from "react";
import { Link } from "wouter";

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
    <Link
      href={path}
      className={className}
      {...(id ? { id } : {})}
      {...(apart ? { tabIndex: -1, "aria-hidden": true } : {})}
    >
      {children}
    </Link>
  );
}
