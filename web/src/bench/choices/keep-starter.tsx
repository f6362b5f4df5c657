import { t } from "../../text";
import { useState } from "react";
import { api, type Starter } from "../../data/api";
import { partTitles, type Part } from "../../data/parts";
import type { Sky } from "../../data/sky";
import { Button } from "../../ui/button";
import { Choice } from "../../ui/choice";
import { Dialog } from "../../ui/dialog";
import { tell } from "../../ui/notices";
import { kept } from "./give-part";
import { anewStarters } from "./own-starters";

const tagsOf = (text: string) =>
  text
    .split(",")
    .map((tag) => tag.trim())
    .filter(Boolean);

/** Names, tags and a line about a starter of one's own: a new one of this sky, or one that is kept. */
export function KeepStarter({
  sky,
  name: usual,
  starter,
  onClose,
}: {
  sky: Sky;
  name: string;
  starter?: Starter | undefined;
  onClose: () => void;
}) {
  const [name, setName] = useState(starter?.name ?? usual);
  const [about, setAbout] = useState(starter?.about ?? "");
  const [tags, setTags] = useState(starter?.tags.join(", ") ?? "");
  const [part, setPart] = useState<Part>(starter?.part ?? "all");
  const [layer, setLayer] = useState(sky.clouds[0]?.id ?? null);
  const [fault, setFault] = useState<string | null>(null);
  const save = async () => {
    const label = { name, about, tags: tagsOf(tags) };
    try {
      if (starter) await api.labelStarter(starter.slug, label);
      else await api.keepStarter({ ...label, part, document: kept(sky, part, layer) });
      await anewStarters();
      if (!starter) tell({ key: "starters", words: t("Kept as a starter: {{name}}.", { name }) });
      onClose();
    } catch (e) {
      setFault((e as Error).message);
    }
  };
  const parts = (Object.keys(partTitles) as Part[]).filter((p) => p !== "layer" || sky.clouds.length > 0);
  const field = "h-7 w-full rounded-soft border border-edge bg-bench px-2";
  return (
    <Dialog title={starter ? t("This starter") : t("Keep as a starter")} open onClose={onClose}>
      <form
        className="flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          void save();
        }}
      >
        <label>
          <span className="text-quiet">{t("Name")}</span>
          <input
            autoFocus
            value={name}
            maxLength={120}
            className={field}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        {!starter && (
          <div>
            <span className="text-quiet">{t("What it offers")}</span>
            <Choice
              label={t("What it offers")}
              value={part}
              options={parts.map((value) => ({ value, title: partTitles[value] }))}
              onChange={(v) => setPart(v as Part)}
            />
          </div>
        )}
        {!starter && part === "layer" && (
          <div>
            <span className="text-quiet">{t("Which layer")}</span>
            <Choice
              label={t("Which layer")}
              value={layer ?? ""}
              options={sky.clouds.map((l) => ({ value: l.id, title: l.name || l.id }))}
              onChange={setLayer}
            />
          </div>
        )}
        <label>
          <span className="text-quiet">{t("Tags, with commas between them")}</span>
          <input value={tags} maxLength={500} className={field} onChange={(e) => setTags(e.target.value)} />
        </label>
        <label>
          <span className="text-quiet">{t("A line about it")}</span>
          <input value={about} maxLength={400} className={field} onChange={(e) => setAbout(e.target.value)} />
        </label>
        {fault && <p role="alert">{fault}</p>}
        <div className="mt-1 flex justify-end gap-2">
          <Button weight="quiet" onClick={onClose}>
            {t("Cancel")}
          </Button>
          <Button weight="main" type="submit">
            {t("Keep")}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
