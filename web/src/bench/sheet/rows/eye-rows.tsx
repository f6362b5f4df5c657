import { t } from "../../../text";
import { useState } from "react";
import type { Schema } from "../../../data/fields";
import type { Eye, Sky } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { SmallPicture } from "../../choices/small-picture";
import { useBench } from "../../store/bench-store";
import { Disclosure } from "../disclosure";
import { groupsOf } from "../document-rows";
import { GroupRows } from "./rows";

/** Viewpoints one sky can hold. */
const MOST = 24;
const WIDTH = 160;

/** The camera, and the viewpoints that are kept. */
export function EyeRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const group = groupsOf(sky, schema).find((g) => g.selection === "eye");
  return (
    <>
      {group && <GroupRows group={group} />}
      <Disclosure title={t("Viewpoints")}>
        <Viewpoints sky={sky} />
      </Disclosure>
    </>
  );
}

function Viewpoints({ sky }: { sky: Sky }) {
  const { change } = useBench.getState();
  const keep = () =>
    change((s) => {
      const names = s.viewpoints.map((v) => v.name);
      let number = names.length + 1;
      while (names.includes(t("Viewpoint {{number}}", { number }))) number += 1;
      s.viewpoints.push({ name: t("Viewpoint {{number}}", { number }), eye: structuredClone(s.eye) });
    });
  return (
    <div data-testid="viewpoints">
      <ul className="grid grid-cols-2 gap-2 py-1">
        {sky.viewpoints.map(({ name, eye }, i) => (
          <li key={`${i} ${JSON.stringify(eye)}`}>
            <button
              type="button"
              aria-label={t("Look from {{name}}", { name })}
              className="block w-full cursor-pointer"
              onClick={() =>
                change((s) => {
                  s.eye = structuredClone(eye);
                })
              }
            >
              <SmallPicture document={() => from(sky, eye)} width={WIDTH} />
            </button>
            <Name key={name} name={name} index={i} />
          </li>
        ))}
      </ul>
      {sky.viewpoints.length < MOST && <Button onClick={keep}>{t("Keep this viewpoint")}</Button>}
    </div>
  );
}

const from = (sky: Sky, eye: Eye): Sky => ({ ...sky, eye });

/** A viewpoint's name, to be typed over, and what takes it away. */
function Name({ name, index }: { name: string; index: number }) {
  const { change } = useBench.getState();
  const [typed, setTyped] = useState(name);
  const enter = () =>
    change((s) => {
      const viewpoint = s.viewpoints[index];
      if (viewpoint && typed.trim()) viewpoint.name = typed.trim();
    });
  return (
    <span className="flex items-baseline">
      <input
        aria-label={t("Name of {{name}}", { name })}
        value={typed}
        maxLength={80}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={enter}
        onKeyDown={(e) => e.key === "Enter" && enter()}
        className="h-6 w-full min-w-0 bg-transparent text-small"
      />
      <button
        type="button"
        aria-label={t("Delete {{name}}", { name })}
        className="min-h-6 cursor-pointer px-1 text-small text-quiet hover:text-ink"
        onClick={() =>
          change((s) => {
            s.viewpoints.splice(index, 1);
          })
        }
      >
        {t("Delete")}
      </button>
    </span>
  );
}
