import { t } from "../../../text";
import { useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { api, photographPath, type Pin } from "../../../data/api";
import { partTitles } from "../../../data/parts";
import type { Sky } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { NameField } from "../../../ui/name-field";
import { wasDeleted } from "../../../ui/deleted-note";
import { Menu } from "../../../ui/menu";
import { tell } from "../../../ui/notices";
import { given, withLayer } from "../../choices/give-part";
import { SmallPicture } from "../../choices/small-picture";
import { pinNow, pinPhotograph, usePins } from "../../compare/pins";
import { useBench } from "../../store/bench-store";
import { useComparing } from "../../store/comparing";

const WIDTH = 240;

/** States of the sky that were kept, and photographs beside it. */
export function PinRows() {
  const id = useBench((s) => s.record?.id);
  const pins = usePins(id);
  const file = useRef<HTMLInputElement>(null);
  return (
    <div data-testid="pins">
      <div className="flex flex-wrap gap-2 py-2">
        <Button onClick={() => void pinNow()}>{t("Pin this state")}</Button>
        <Button weight="quiet" onClick={() => file.current?.click()}>
          {t("Pin a photograph…")}
        </Button>
        <input
          ref={file}
          type="file"
          accept="image/png,image/jpeg,image/webp"
          aria-label={t("A photograph to pin")}
          className="hidden"
          onChange={(e) => {
            const [chosen] = e.target.files ?? [];
            if (chosen) void pinPhotograph(chosen);
            e.target.value = "";
          }}
        />
      </div>
      {pins.data?.length === 0 && (
        <p className="text-quiet">
          {t(
            "A pin keeps the sky as it is now, to compare with and to go back to. Photographs can be dropped here, too.",
          )}
        </p>
      )}
      {pins.isError && <p className="text-quiet">{pins.error.message}</p>}
      <ul className="flex flex-col gap-3">
        {pins.data?.map((pin) => (
          <PinItem key={pin.id} pin={pin} />
        ))}
      </ul>
    </div>
  );
}

function PinItem({ pin }: { pin: Pin }) {
  const client = useQueryClient();
  const compared = useComparing((s) => s.pin?.id === pin.id);
  const { compare } = useComparing.getState();
  const anew = () => client.invalidateQueries({ queryKey: ["pins", pin.sky_id] });
  const act = async (work: () => Promise<unknown>) => {
    try {
      await work();
      await anew();
    } catch (e) {
      tell({ key: "pins", words: (e as Error).message });
    }
  };
  const remove = () =>
    act(async () => {
      await api.removePin(pin.id);
      if (compared) compare(null);
      wasDeleted({ list: "pins", name: pin.name, restore: () => api.restorePin(pin.id) });
    });
  return (
    <li data-testid="pin">
      <div className="aspect-[16/9] w-full bg-bench">
        {pin.document ? (
          <PinPicture sky={pin.document} />
        ) : (
          <img src={photographPath(pin.id)} alt="" className="h-full w-full object-contain" />
        )}
      </div>
      <NameField
        label={t("Name of the pin {{name}}", { name: pin.name })}
        name={pin.name}
        save={(name) => act(() => api.renamePin(pin.id, name))}
      />
      <div className="flex flex-wrap gap-1">
        <Button
          aria-pressed={compared}
          className="px-2 aria-pressed:border-ink"
          onClick={() => compare(compared ? null : pin)}
        >
          {compared ? t("Stop comparing") : t("Compare")}
        </Button>
        {pin.document && <BringBack pin={pin.document} name={pin.name} />}
        <Button
          weight="quiet"
          className="px-2"
          aria-label={t("Delete the pin {{name}}", { name: pin.name })}
          onClick={() => void remove()}
        >
          {t("Delete")}
        </Button>
      </div>
    </li>
  );
}

/** A pin's picture is drawn once: its state does not change. */
const PinPicture = ({ sky }: { sky: Sky }) => <SmallPicture document={() => sky} width={WIDTH} />;

/** All of a pinned state, or a part of it, put back into the sky. */
function BringBack({ pin, name }: { pin: Sky; name: string }) {
  const { change } = useBench.getState();
  const put = (next: (sky: Sky) => Sky) =>
    change((sky) => {
      Object.assign(sky, next(sky));
    });
  const items: [string, () => void][] = [
    [partTitles.all, () => put((sky) => given(sky, pin, "all"))],
    ...(["air", "lights", "clouds", "grade"] as const).map((part): [string, () => void] => [
      partTitles[part],
      () => put((sky) => given(sky, pin, part)),
    ]),
    [t("Viewpoint"), () => put((sky) => ({ ...sky, eye: structuredClone(pin.eye) }))],
    [t("Land"), () => put((sky) => ({ ...sky, land: structuredClone(pin.land) }))],
    ...pin.clouds.map((layer): [string, () => void] => [
      t("Layer: {{value}}", { value: layer.name || layer.id }),
      () => put((sky) => withLayer(sky, pin, layer.id)),
    ]),
  ];
  return (
    <Menu
      words={t("Bring back…")}
      label={t("Bring back from {{name}}", { name })}
      items={items}
      align="start"
      className="border border-edge hover:bg-raised"
    />
  );
}
