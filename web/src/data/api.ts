import { t } from "../text";
import type { BakeSettings, Estimate, Inspection, PickedCloud } from "./bakes";
import type { SearchResult, SearchVariable, Target } from "./measures";
import type { Part } from "./parts";
import type { ColourTable, Sky, TableInput } from "./sky";

export type Problem = { path: string; message: string; value?: unknown; allowed?: unknown };

/** A refusal of the server, as a problem document (RFC 9457). */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly kind: string,
    detail: string,
    readonly problems: Problem[],
  ) {
    super(detail);
  }
  /** The server or its database can't be reached; what was asked may work later. */
  get isAway() {
    return this.status === 0 || this.status === 503 || this.status === 502;
  }
}

export type SkyRecord = { id: string; name: string; revision: number; document: Sky; updated_at: string };
/** A sky in a list. */
export type SkySummary = {
  id: string;
  name: string;
  revision: number;
  tags: string[];
  created_at: string;
  updated_at: string;
  deleted_at: string | null;
};
export type SkySort = "changed" | "made" | "name";
export type SkyPage = { skies: SkySummary[]; total: number };
export type Starter = {
  /** Short name of one that ships, id of one's own. */
  slug: string;
  own: boolean;
  name: string;
  about: string;
  tags: string[];
  part: Part;
  document: Sky;
};
export type NewStarter = Omit<Starter, "slug" | "own">;
/** A kept state of a sky, or a photograph beside it, which has no document. */
export type Pin = { id: string; sky_id: string; name: string; document: Sky | null; created_at: string };
export type Place = {
  name: string;
  province: string;
  country: string;
  latitude_deg: number;
  longitude_deg: number;
  population: number;
  zone: string;
};
export type DayPoint = {
  minute: number;
  sun_azimuth_deg: number;
  sun_elevation_deg: number;
  moon_azimuth_deg: number;
  moon_elevation_deg: number;
  moon_lit: number;
  moon_waxing: boolean;
};
export type DaySpan = "golden" | "blue" | "civil" | "nautical" | "astronomical" | "night";
export type Strip = {
  day: {
    points: DayPoint[];
    events: [string, number][];
    spans: [DaySpan, number, number][];
  };
  ribbon: { minute: number; colours: [number, number, number][] }[];
};
export type Bake = {
  id: string;
  sky_id: string | null;
  name: string;
  document: Sky;
  settings: BakeSettings;
  status: "queued" | "running" | "assembling" | "paused" | "done" | "cancelled" | "failed" | "unknown";
  pieces: number;
  pieces_done: number;
  problem: string | null;
  /** What an open bake waits for. */
  note: string | null;
  facts: Record<string, unknown> | null;
  files: string[];
  created_at: string;
  started_at: string | null;
  finished_at: string | null;
  deleted_at: string | null;
  seconds_left: number | null;
};

export type BakePage = { bakes: Bake[]; total: number; bytes: number };

/** Browsers let a page that is left send as much, characters. */
const MOST_ON_LEAVING = 60_000;

async function ask<T>(method: string, path: string, body?: unknown, leaving = false): Promise<T> {
  let response: Response;
  const text = body === undefined ? null : JSON.stringify(body);
  try {
    response = await fetch(path, {
      method,
      headers: text === null ? {} : { "content-type": "application/json" },
      body: text,
      keepalive: leaving && (text?.length ?? 0) < MOST_ON_LEAVING,
    });
  } catch {
    throw new Refusal(0, "", t("The server can't be reached"), []);
  }
  if (!response.ok) {
    const problem = await response.json().catch(() => ({}));
    throw new Refusal(
      response.status,
      problem.type ?? "",
      problem.detail ?? response.statusText,
      problem.problems ?? [],
    );
  }
  return response.status === 204 ? (undefined as T) : response.json();
}

/** A file that follows from what is sent. */
async function askFile(path: string, body: unknown, signal?: AbortSignal): Promise<Blob> {
  const response = await fetch(path, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body),
    ...(signal ? { signal } : {}),
  });
  if (!response.ok) throw new Error(response.statusText);
  return response.blob();
}

/** Sends a file as it is. */
async function sendFile<T>(path: string, file: File): Promise<T> {
  const response = await fetch(path, {
    method: "POST",
    headers: { "content-type": "application/octet-stream" },
    body: file,
  });
  if (!response.ok) {
    const problem = await response.json().catch(() => ({}));
    throw new Error(problem.detail ?? response.statusText);
  }
  return response.json();
}

export const photographPath = (pin: string) => `/api/pins/${pin}/photograph`;
export const starterPicture = (slug: string, width: 320 | 640 = 320) =>
  `/api/starters/${slug}/picture.png?width=${width}`;

export const api = {
  skies: (of: { search: string; sort: SkySort; bin: boolean; limit: number; offset?: number }) =>
    ask<SkyPage>(
      "GET",
      `/api/skies?search=${encodeURIComponent(of.search)}&sort=${of.sort}&bin=${of.bin}&limit=${of.limit}&offset=${of.offset ?? 0}`,
    ),
  sky: (id: string) => ask<SkyRecord>("GET", `/api/skies/${id}`),
  /** `key`: of this save; `leaving`: the page may be gone before the answer comes. */
  save: (id: string, revision: number, document: Sky, key: string, leaving = false) =>
    ask<{ revision: number }>("PUT", `/api/skies/${id}`, { revision, document, key }, leaving),
  rename: (id: string, name: string) => ask<null>("PATCH", `/api/skies/${id}`, { name }),
  remove: (id: string) => ask<null>("DELETE", `/api/skies/${id}`),
  restore: (id: string) => ask<null>("POST", `/api/skies/${id}/restore`),
  tag: (id: string, tags: string[]) => ask<null>("PATCH", `/api/skies/${id}`, { tags }),
  forget: (id: string) => ask<null>("DELETE", `/api/skies/${id}?for_good=true`),
  emptyBin: () => ask<null>("DELETE", "/api/bin"),
  duplicate: (id: string) => ask<SkyRecord>("POST", `/api/skies/${id}/duplicate`),
  starters: () => ask<Starter[]>("GET", "/api/starters"),
  keepStarter: (starter: NewStarter) => ask<Starter>("POST", "/api/starters", starter),
  labelStarter: (slug: string, label: { name: string; about: string; tags: string[] }) =>
    ask<null>("PATCH", `/api/starters/${slug}`, label),
  removeStarter: (slug: string) => ask<null>("DELETE", `/api/starters/${slug}`),
  restoreStarter: (slug: string) => ask<null>("POST", `/api/starters/${slug}/restore`),
  pins: (sky: string) => ask<Pin[]>("GET", `/api/skies/${sky}/pins`),
  pin: (sky: string, name: string, document: Sky) =>
    ask<Pin>("POST", `/api/skies/${sky}/pins`, { name, document }),
  pinPhotograph: (sky: string, file: File) =>
    sendFile<Pin>(`/api/skies/${sky}/photographs?name=${encodeURIComponent(file.name)}`, file),
  renamePin: (id: string, name: string) => ask<null>("PATCH", `/api/pins/${id}`, { name }),
  removePin: (id: string) => ask<null>("DELETE", `/api/pins/${id}`),
  restorePin: (id: string) => ask<null>("POST", `/api/pins/${id}/restore`),
  fromStarter: (slug: string) => ask<SkyRecord>("POST", "/api/skies", { starter: slug }),
  empty: () => ask<SkyRecord>("POST", "/api/skies", { name: t("Empty sky"), document: { schema: 2 } }),
  places: (typed: string) => ask<Place[]>("GET", `/api/places?q=${encodeURIComponent(typed)}`),
  /** A local time of a zone, or now, with its offset; the zone may follow from coordinates. */
  moment: (wanted: { zone?: string; latitude?: number; longitude?: number; local?: string }) => {
    const query = Object.entries(wanted).map(([name, value]) => `${name}=${encodeURIComponent(value)}`);
    return ask<{ at: string; zone: string }>("GET", `/api/moment?${query.join("&")}`);
  },
  /** What the camera of a document sees, as a picture of this width. */
  picture: (document: Sky, width: number, signal: AbortSignal) =>
    askFile(`/api/picture.png?width=${width}`, document, signal),
  /** The grade as a table of colours, without its exposure. */
  lut: (document: Sky, size: 33 | 65, input: TableInput, title: string) =>
    askFile("/api/grade.cube", { document, size, input, title }),
  /** A .cube file as a grade holds it. */
  table: (file: File, input: TableInput) => sendFile<ColourTable>(`/api/tables?input=${input}`, file),
  /** Slides, seeds or thicknesses of a layer that fulfil a wish, best first. */
  seek: (sky: Sky, layer: string, wish: Target, by: SearchVariable) =>
    ask<SearchResult>("POST", "/api/seek", { sky, layer, wish, by }),
  day: (document: Sky) => ask<Strip>("POST", "/api/day", document),
  schema: () => ask<unknown>("GET", "/api/schema"),
  bakes: (of: { bin: boolean; limit: number; offset?: number }) =>
    ask<BakePage>("GET", `/api/bakes?bin=${of.bin}&limit=${of.limit}&offset=${of.offset ?? 0}`),
  bake: (sky_id: string | null, name: string, document: Sky, settings: BakeSettings) =>
    ask<Bake>("POST", "/api/bakes", { sky_id, name, document, settings }),
  cancel: (id: string) => ask<Bake>("POST", `/api/bakes/${id}/cancel`),
  pause: (id: string) => ask<Bake>("POST", `/api/bakes/${id}/pause`),
  /** What a bake would take, measured on its sky. */
  estimate: (document: Sky, settings: BakeSettings) =>
    ask<Estimate>("POST", "/api/bakes/estimate", { document, settings }),
  clearBakes: (older_than_days: number) =>
    ask<{ cleared: number }>("POST", "/api/bakes/clear", { older_than_days }),
  /** The cloud at a place of the frame, 0 to 1 from the upper left. */
  pickCloud: (document: Sky, x: number, y: number) =>
    ask<PickedCloud | null>("POST", "/api/pick", { document, x, y }),
  /** Clouds from above over a square, as a picture. */
  plan: (document: Sky, square: { east_m: number; north_m: number; extent_m: number }, signal: AbortSignal) =>
    askFile("/api/plan.png", { document, ...square }, signal),
  inspectBake: (id: string, name: string) =>
    ask<Inspection>("GET", `/api/bakes/${id}/inspection/${encodeURIComponent(name)}`),
  inspectSent: (id: string) => ask<Inspection>("GET", `/api/inspections/${id}`),
  /** Sends a file to be looked at. */
  inspectFile: (file: File) =>
    sendFile<Inspection>(`/api/inspections?name=${encodeURIComponent(file.name)}`, file),
  goOn: (id: string) => ask<Bake>("POST", `/api/bakes/${id}/go-on`),
  removeBake: (id: string) => ask<null>("DELETE", `/api/bakes/${id}`),
  restoreBake: (id: string) => ask<null>("POST", `/api/bakes/${id}/restore`),
  forgetBake: (id: string) => ask<null>("DELETE", `/api/bakes/${id}?for_good=true`),
};
