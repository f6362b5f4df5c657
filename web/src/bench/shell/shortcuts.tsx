import { t } from "../../text";
import { Dialog } from "../../ui/dialog";

const keys: [string, string][] = [
  [t("1 to 9"), t("Sun, air, clouds (again: the next layer), eye, grade, place, sky, low fog, land")],
  ["g", t("Grasp: drag the selected layer by its clouds or their shadow")],
  ["f", t("Find a row by a plain word")],
  ["s", t("Flick through starters")],
  [t("Left, Right on Day"), t("Ten minutes; Page Up, Page Down an hour")],
  [t("Escape"), t("Fold the sheet away")],
  [".", t("Hide or show handles and guides")],
  ["p", t("The whole sky around the camera, and back")],
  ["t, c, l", t("False colour by stops; what is clipped; levels")],
  ["k", t("Keep a reading of what is pointed at; two stay side by side")],
  ["n", t("Pin this state")],
  ["0", t("Picture takes the whole window, and back")],
  [t("Ctrl Z"), t("Undo")],
  [t("Ctrl Shift Z"), t("Redo")],
  [t("Up, Down in a number"), t("A step more or less")],
  ["?", t("This list")],
];

export function Shortcuts({ onClose }: { onClose: () => void }) {
  return (
    <Dialog title={t("Keys")} open onClose={onClose}>
      <dl className="grid grid-cols-[10rem_1fr] gap-y-1">
        {keys.map(([key, does]) => (
          <div key={key} className="contents">
            <dt className="font-value text-quiet">{key}</dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
    </Dialog>
  );
}
