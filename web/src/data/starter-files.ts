import { t } from "../text";
/** Skies and starters as files: JSON that is sent and received. */

import type { NewStarter, Starter } from "./api";
import type { Sky } from "./sky";

/** What a file holds: starters, or one document. */
export type FileContent = { starters: NewStarter[] } | { document: Sky };

/** Text of a file with starters. */
export const starterFile = (starters: Starter[]) =>
  JSON.stringify(
    {
      starters: starters.map(({ name, about, tags, part, document }) => ({
        name,
        about,
        tags,
        part,
        document,
      })),
    },
    null,
    2,
  );

/** Reads a file: of starters, of one sky as it is shipped, or of a document alone. */
export function readSkyFile(text: string): FileContent {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new Error(t("is no JSON"));
  }
  if (typeof value !== "object" || value === null) throw new Error(t("holds no sky"));
  if ("starters" in value && Array.isArray(value.starters))
    return { starters: value.starters as NewStarter[] };
  if ("sky" in value && "name" in value) {
    const { name, about, sky } = value as { name: string; about?: string; sky: Sky };
    return { starters: [{ name, about: about ?? "", tags: [], part: "all", document: sky }] };
  }
  if ("schema" in value) return { document: value as unknown as Sky };
  throw new Error(t("holds neither starters nor a sky"));
}

/** A name for what comes out of a file. */
export const nameOfFile = (file: string) => file.replace(/\.[^.]*$/, "").slice(0, 120) || t("Sky");
