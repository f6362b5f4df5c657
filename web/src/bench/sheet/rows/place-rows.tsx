import { t } from "../../../text";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Place } from "../../../data/api";
import type { Schema } from "../../../data/fields";
import { showNumber } from "../../../data/number";
import type { Sky } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { useBench } from "../../store/bench-store";
import { groupsOf } from "../document-rows";
import { GroupRows } from "./rows";

const box = "h-6 rounded-soft border border-edge bg-bench px-1 text-ink";

/** Sets a local date and hour in the place's zone; daylight saving gives the offset. */
async function moveTo(local: string) {
  const { sky, change, notify } = useBench.getState();
  if (!sky) return;
  const { zone } = sky.place;
  try {
    const offset = /([Zz]|[+-]\d\d:\d\d)$/.exec(sky.place.at)?.[1] ?? "Z";
    const at = zone ? (await api.moment({ zone, local })).at : `${local}:00${offset}`;
    change((s) => {
      s.place.at = at;
    });
  } catch (e) {
    notify(String((e as Error).message));
  }
}

/** Place by name or coordinates; date, hour and zone. */
export function PlaceRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change } = useBench.getState();
  const { place } = sky;
  const group = groupsOf(sky, schema).find((g) => g.selection === "place");
  const [date = "", time = ""] = [place.at.slice(0, 10), place.at.slice(11, 16)];
  const offset = /([Zz]|[+-]\d\d:\d\d)$/.exec(place.at)?.[1] ?? "";
  const follows = sky.suns.some((s) => s.placement.by === "place") || sky.moon.placement.by === "place";
  return (
    <>
      <PlaceSearch place={place.name} />
      <div className="flex flex-wrap items-end gap-2 py-1">
        <label className="text-quiet">
          {t("Date")}
          <input
            type="date"
            min="1950-01-01"
            max="2050-12-31"
            className={`block font-value ${box}`}
            value={date}
            onChange={(e) => e.target.value && void moveTo(`${e.target.value}T${time}`)}
          />
        </label>
        <label className="text-quiet">
          {t("Hour")}
          <input
            type="time"
            className={`block font-value ${box}`}
            value={time}
            onChange={(e) => e.target.value && void moveTo(`${date}T${e.target.value}`)}
          />
        </label>
        <Button
          weight="quiet"
          onClick={() =>
            void api
              .moment({ zone: place.zone, latitude: place.latitude_deg, longitude: place.longitude_deg })
              .then((now) =>
                change((s) => {
                  s.place.at = now.at;
                  s.place.zone = now.zone;
                }),
              )
          }
        >
          {t("Now")}
        </Button>
      </div>
      <label className="block py-1 text-quiet">
        {t("Time zone")}
        <span className="flex items-center gap-2">
          <input
            className={`block w-full ${box}`}
            key={place.zone}
            defaultValue={place.zone}
            onBlur={(e) => {
              const zone = e.target.value.trim();
              if (zone !== place.zone)
                change((s) => {
                  s.place.zone = zone;
                });
            }}
          />
          <span className="font-value">{offset === "Z" ? "+00:00" : offset}</span>
        </span>
      </label>
      {group && <GroupRows group={group} />}
      {!follows && (
        <p className="pt-1 text-quiet">{t("Nothing follows place and time: every light is set by hand.")}</p>
      )}
    </>
  );
}

function PlaceSearch({ place }: { place: string }) {
  const { change } = useBench.getState();
  const [typed, setTyped] = useState<string | null>(null);
  const wanted = typed?.trim() ?? "";
  const found = useQuery({
    queryKey: ["places", wanted],
    queryFn: () => api.places(wanted),
    enabled: wanted.length > 0,
    placeholderData: (last) => last,
    staleTime: Infinity,
  });
  const take = async (to: Place) => {
    setTyped(null);
    const at = useBench.getState().sky?.place.at ?? "";
    const moment = await api.moment({ zone: to.zone, local: at.slice(0, 16) });
    change((s) => {
      Object.assign(s.place, {
        name: to.name,
        latitude_deg: to.latitude_deg,
        longitude_deg: to.longitude_deg,
        zone: to.zone,
        at: moment.at,
      });
    });
  };
  const list = (wanted && found.data) || [];
  return (
    <div className="relative py-1">
      <label className="text-quiet">
        {t("Place")}
        <input
          type="search"
          data-testid="place-search"
          className={`block w-full ${box}`}
          value={typed ?? place}
          onFocus={(e) => e.target.select()}
          onChange={(e) => setTyped(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Escape") setTyped(null);
            if (e.key === "Enter" && list[0]) void take(list[0]);
          }}
          role="combobox"
          aria-expanded={list.length > 0}
          aria-controls="places-found"
        />
      </label>
      {typed !== null && wanted && (
        <ul
          id="places-found"
          role="listbox"
          className="absolute z-20 max-h-64 w-full overflow-y-auto border border-edge bg-bench shadow-float"
        >
          {list.map((p) => (
            <li key={`${p.name} ${p.latitude_deg} ${p.longitude_deg}`} role="option" aria-selected={false}>
              <button
                type="button"
                data-testid="place-found"
                className="block w-full cursor-pointer px-2 py-1 text-left hover:bg-raised"
                onMouseDown={(e) => {
                  e.preventDefault();
                  void take(p);
                }}
              >
                {p.name}
                <span className="block text-small text-quiet">
                  {[p.province, p.country].filter(Boolean).join(", ")}{" "}
                  <span className="font-value">
                    {showNumber(p.latitude_deg)}° {showNumber(p.longitude_deg)}°
                  </span>
                </span>
              </button>
            </li>
          ))}
          {found.isSuccess && list.length === 0 && (
            <li className="px-2 py-1 text-quiet">{t("No such place; coordinates can be typed below.")}</li>
          )}
        </ul>
      )}
    </div>
  );
}
