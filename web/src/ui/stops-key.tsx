import { t } from "../text";
import { bandColour, STOPS } from "../data/bands";

/** What each false colour stands for, in stops from grey. */
export function StopsKey() {
  return (
    <ol className="flex shrink-0 border-t border-line" aria-label={t("Stops from grey")}>
      {STOPS.map((stop, i) => {
        const [r, g, b] = bandColour(i);
        const dark = 0.2126 * r + 0.7152 * g + 0.0722 * b < 110;
        return (
          <li
            key={stop}
            className={`flex-1 text-center font-value text-small ${dark ? "text-white" : "text-black"}`}
            style={{ background: `rgb(${r} ${g} ${b})` }}
          >
            {stop > 0 ? `+${stop}` : stop}
          </li>
        );
      })}
    </ol>
  );
}
