import { showNumber } from "../data/number";
import { useBench } from "./bench-store";

const lx = (v: number) => (v >= 1000 ? `${showNumber(v / 1000)} klx` : `${showNumber(v)} lx`);

/** Light meter: what the sky sheds, from the last refined picture. */
export function Meter() {
  const shot = useBench((s) => s.shot);
  const r = shot?.readouts;
  const cells: [string, string][] = r
    ? [
        ["On level ground", lx(r.global_horizontal_lx)],
        ["from the sun", lx(r.direct_horizontal_lx)],
        ["Sun", r.sun_cct_k ? `${Math.round(r.sun_cct_k)} K` : "none"],
        ["Sky", r.sky_cct_k ? `${Math.round(Math.min(r.sky_cct_k, 99_999))} K` : "none"],
        ["Zenith", `${showNumber(r.zenith_cd_m2)} cd/m²`],
        [
          "Cover seen",
          `${Math.round(r.cover_seen_fraction * 100)} %, ${Math.round(r.cover_seen_fraction * 8)} oktas`,
        ],
        ["Sun shows", `${Math.round(r.sun_visible_fraction * 100)} %`],
        ["Suggested", `${r.suggested_ev100.toFixed(1)} EV`],
      ]
    : [];
  return (
    <dl
      data-testid="meter"
      className="flex min-h-10 shrink-0 items-center gap-x-5 overflow-x-auto border-b border-line bg-panel px-3 py-1"
    >
      {cells.map(([name, value]) => (
        <div key={name} className="shrink-0">
          <dt className="text-small leading-tight text-quiet">{name}</dt>
          <dd className="font-value leading-tight">{value}</dd>
        </div>
      ))}
      {!r && <p className="text-quiet">The light meter reads the first refined picture.</p>}
    </dl>
  );
}
