import type { Problem } from "../../data/api";
import type { Direction } from "../../data/camera";
import { noTable } from "../../data/grade";
import type { Readouts } from "../../data/measures";
import type { Sky } from "../../data/sky";

/** A sun or the moon as the Picture draws it; `light` is its own, `veil` what its glare spreads, lx. */
export type Disc = {
  direction: Direction;
  radius: number;
  radiance: [number, number, number];
  light: [number, number, number];
  veil: [number, number, number];
};

/** The upper sky as a fisheye: packed linear light. */
export type Overhead = { side: number; exponent: number; words: Uint32Array };

/** A picture as it comes over the socket (see the server's live module). */
export type PreviewFrame = {
  number: number;
  /** A message of readings has no picture. */
  stage: "coarse" | "refined" | "smooth" | "readings";
  /** Exposure for the request's grade, and the true elevation of the first sun, which it follows. */
  ev100: number;
  sun_elevation_deg: number;
  width: number;
  height: number;
  exponent: number;
  milliseconds: number;
  mask_side: number;
  discs: Disc[];
  readouts: Readouts | null;
  overhead: Overhead | null;
  words: Uint32Array;
  /** One square after the other, as many as discs. */
  masks: Float32Array;
};

type Handlers = {
  frame: (frame: PreviewFrame) => void;
  problems: (problems: Problem[]) => void;
  connected: (connected: boolean) => void;
};

/** Keeps one socket open and asks for pictures; only the newest wish counts. */
export class PreviewSocket {
  private socket: WebSocket | null = null;
  private number = 0;
  private pending: { sky: Sky; width: number; height: number; panorama: boolean } | null = null;
  private closed = false;

  constructor(private readonly handlers: Handlers) {
    this.connect();
  }

  request(sky: Sky, width: number, height: number, panorama: boolean) {
    // Scene light does not hang on a table of colours, which is long.
    const grade = { ...sky.grade, table: noTable };
    this.pending = { sky: { ...sky, grade }, width, height, panorama };
    this.number += 1;
    this.send();
  }

  close() {
    this.closed = true;
    this.socket?.close();
  }

  private send() {
    if (this.pending && this.socket?.readyState === WebSocket.OPEN)
      this.socket.send(JSON.stringify({ number: this.number, ...this.pending }));
  }

  private connect() {
    const socket = new WebSocket(
      `${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/api/live`,
    );
    socket.binaryType = "arraybuffer";
    socket.onopen = () => {
      this.handlers.connected(true);
      this.send();
    };
    socket.onclose = () => {
      if (this.closed) return;
      this.handlers.connected(false);
      setTimeout(() => this.connect(), 1000);
    };
    socket.onmessage = ({ data }) => {
      if (typeof data === "string") {
        const { number, problems } = JSON.parse(data);
        if (number === this.number) this.handlers.problems(problems);
        return;
      }
      this.handlers.frame(readFrame(data));
    };
    this.socket = socket;
  }
}

function readFrame(data: ArrayBuffer): PreviewFrame {
  const length = new DataView(data).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length)));
  const pixels = header.width * header.height;
  const start = 4 + length;
  const masks = header.mask_side ** 2 * header.discs.length;
  const after = start + 4 * (pixels + masks);
  return {
    ...header,
    words: new Uint32Array(data, start, pixels),
    masks: new Float32Array(data, start + 4 * pixels, masks),
    overhead: header.overhead && {
      ...header.overhead,
      words: new Uint32Array(data, after, header.overhead.side ** 2),
    },
  };
}
