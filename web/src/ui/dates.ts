import { t } from "../text";
/** Dates as lists show them. */

const day = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric" });
const time = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });

/** "today 14:05", "yesterday 09:10", "3 Mar 2026". */
export function when(moment: string, now = new Date()): string {
  const at = new Date(moment);
  const midnight = new Date(now.getFullYear(), now.getMonth(), now.getDate()).getTime();
  if (at.getTime() >= midnight) return t("today {{at}}", { at: time.format(at) });
  if (at.getTime() >= midnight - 86_400_000) return t("yesterday {{at}}", { at: time.format(at) });
  return day.format(at);
}

/** Whole days from now until so many days after a moment. */
export const daysLeft = (moment: string, days: number, now = new Date()) =>
  Math.max(0, Math.ceil((Date.parse(moment) + days * 86_400_000 - now.getTime()) / 86_400_000));
