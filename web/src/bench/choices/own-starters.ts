import { t } from "../../text";
/** Starters of one's own: kept from files, and given as files. */

import { api, type Starter } from "../../data/api";
import { download } from "../../data/download";
import { queryClient } from "../../data/query-client";
import { nameOfFile, readSkyFile, starterFile } from "../../data/starter-files";
import { tell } from "../../ui/notices";

export const STARTERS = ["starters"];

export const anewStarters = () => queryClient.invalidateQueries({ queryKey: STARTERS });

/** Keeps what files hold as starters; gives how many. What can't be read is told, the rest is kept. */
export async function keepStarterFiles(files: File[]): Promise<number> {
  let kept = 0;
  const faults: string[] = [];
  for (const file of files) {
    try {
      const content = readSkyFile(await file.text());
      const list =
        "starters" in content
          ? content.starters
          : [
              {
                name: nameOfFile(file.name),
                about: "",
                tags: [],
                part: "all" as const,
                document: content.document,
              },
            ];
      for (const starter of list) {
        await api.keepStarter(starter);
        kept += 1;
      }
    } catch (e) {
      faults.push(`${file.name} ${(e as Error).message}`);
    }
  }
  await anewStarters();
  const said =
    kept > 0
      ? [t("{{value}} came in.", { value: kept === 1 ? t("One starter") : t("{{kept}} starters", { kept }) })]
      : [];
  tell({ key: "starters", words: [...said, ...faults].join(" ") });
  return kept;
}

/** Gives starters as one file. */
export function sendStarters(starters: Starter[]) {
  const [first] = starters;
  if (!first) return;
  const name = starters.length === 1 ? first.name : t("{{value}} starters", { value: starters.length });
  download(new Blob([starterFile(starters)], { type: "application/json" }), name, "json");
}

/** Lets a starter be dragged out of the window as a file, where the browser can. */
export function dragStarter(data: DataTransfer, starter: Starter) {
  const text = starterFile([starter]);
  const url = `data:application/json,${encodeURIComponent(text)}`;
  data.setData("DownloadURL", `application/json:${starter.name}.json:${url}`);
  data.setData("application/json", text);
  data.effectAllowed = "copy";
}
