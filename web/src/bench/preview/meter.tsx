import { t } from "../../text";
import { useState } from "react";
import { showNumber } from "../../data/number";
import type { Readouts } from "../../data/measures";
import { useBench } from "../store/bench-store";

const lx = (v: number) => (v >= 1000 ? `${showNumber(v / 1000)} klx` : `${showNumber(v)} lx`);
const kelvin = (v: number | null) => (v ? `${Math.round(Math.min(v, 99_999))} K` : "none");
const percent = (v: number) => `${showNumber(Math.round(v * 1000) / 10)} %`;
const cd = (v: number) => `${showNumber(v)} cd/m²`;

/** The first line is what an artist looks at most; the second is the rest. */
function cellsOf(r: Readouts): [string, string][][] {
  const first: [string, string][] = [
    [t("On level ground"), lx(r.global_horizontal_lx)],
    [t("from the sun"), percent(r.sun_share)],
    [t("Sun"), kelvin(r.sun_cct_k)],
    [t("Sky"), kelvin(r.sky_cct_k)],
    [t("Sun shows"), percent(r.sun_visible_fraction)],
    [
      t("Cover seen"),
      t("{{cover_seen_fraction}}, {{oktas}} oktas", {
        cover_seen_fraction: percent(r.cover_seen_fraction),
        oktas: Math.round(r.cover_seen_fraction * 8),
      }),
    ],
    [t("Past white"), percent(r.clipped_fraction)],
    [t("Suggested"), t("{{suggested_ev100}} EV", { suggested_ev100: r.suggested_ev100.toFixed(1) })],
  ];
  const rest: [string, string][] = [
    [t("Facing the sun"), lx(r.direct_normal_lx)],
    [t("Sun, level"), lx(r.direct_horizontal_lx)],
    [t("Sky, level"), lx(r.diffuse_horizontal_lx)],
    [t("Zenith"), cd(r.zenith_cd_m2)],
    [t("Horizon"), cd(r.horizon_cd_m2)],
    [t("Cover"), percent(r.cover_fraction)],
    [t("Half-shadow at 100 m"), `${showNumber(r.penumbra_at_100_m)} m`],
    ...r.layers.map((l): [string, string] => [
      t("Thickness, {{id}}", { id: l.id }),
      showNumber(l.optical_thickness),
    ]),
  ];
  return [first, rest];
}

const KEPT = "tenter:meter";

/** Light meter: what the sky sheds, from the last refined picture; it can stay open. */
export function Meter() {
  const r = useBench((s) => s.readouts);
  // What belongs to an older picture is pale until the new one is read.
  const older = useBench((s) => s.frame !== null && s.readoutsOf < s.frame.number);
  const [open, setOpen] = useState(() => localStorage.getItem(KEPT) === "open");
  const lines = r ? cellsOf(r) : [];
  return (
    <div
      data-testid="meter"
      data-older={older}
      className="flex min-h-10 shrink-0 items-start border-b border-line bg-panel py-1 pr-2 pl-3"
    >
      <div className="min-w-0 flex-1">
        {lines.slice(0, open ? 2 : 1).map((cells, i) => (
          <dl key={i} className="flex gap-x-5 overflow-x-auto">
            {cells.map(([name, value]) => (
              <div key={name} className="shrink-0">
                <dt className="text-small leading-tight text-quiet">{name}</dt>
                <dd className={`font-value leading-tight ${older ? "text-quiet italic" : ""}`}>{value}</dd>
              </div>
            ))}
          </dl>
        ))}
        {!r && <p className="py-1 text-quiet">{t("The light meter reads the first refined picture.")}</p>}
      </div>
      <button
        type="button"
        aria-expanded={open}
        className="min-h-6 cursor-pointer px-1 text-small text-quiet hover:text-ink hover:underline"
        onClick={() => {
          localStorage.setItem(KEPT, open ? "" : "open");
          setOpen(!open);
        }}
      >
        {open ? t("less") : t("all readouts")}
      </button>
    </div>
  );
}
