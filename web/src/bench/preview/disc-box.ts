import { halfWidth, inView, placeOf, type Direction } from "../../data/camera";
import type { Eye } from "../../data/sky";

/** A rectangle of pixels: x and y of its lower left corner, width, height. */
export type Box = [number, number, number, number];

/**
 * The pixels of a picture that a disc may cover: a square around its middle, or `null` if it is behind the
 * lens. `radius` is the disc's angle with its margin, radians. Away from the axis by θ a cone of half-angle a
 * reaches from tan(θ - a) to tan(θ + a), the farther side being the longer one.
 */
export function discBox(
  eye: Eye,
  disc: Direction,
  radius: number,
  width: number,
  height: number,
): Box | null {
  const forward = inView(eye, disc)[2];
  const off = Math.acos(Math.max(-1, Math.min(1, forward)));
  if (off - radius > Math.PI / 2) return null;
  // Past this the far side of the cone has no place in a plane.
  if (off + radius > 1.5) return [0, 0, width, height];
  const { x, y } = placeOf(eye, disc);
  const reach = ((Math.tan(off + radius) - Math.tan(off)) / halfWidth(eye)) * (width / 2) + 2;
  const [left, right] = [Math.floor(x * width - reach), Math.ceil(x * width + reach)];
  const [low, high] = [Math.floor((1 - y) * height - reach), Math.ceil((1 - y) * height + reach)];
  const inside = (v: number, end: number) => Math.max(0, Math.min(end, v));
  const [x0, y0] = [inside(left, width), inside(low, height)];
  const [w, h] = [inside(right, width) - x0, inside(high, height) - y0];
  return w > 0 && h > 0 ? [x0, y0, w, h] : null;
}
