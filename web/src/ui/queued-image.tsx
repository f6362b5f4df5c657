import { useCallback, useEffect, useRef, useState } from "react";

/**
 * Pictures that are loaded at once. A browser has six connections to a server; pictures that are being drawn
 * hold theirs, and what else is asked for must not wait behind them.
 */
const MOST = 3;
let loading = 0;
const waiting: (() => void)[] = [];

function next() {
  while (loading < MOST) {
    const begin = waiting.shift();
    if (!begin) return;
    loading += 1;
    begin();
  }
}

/** Waits for a turn; gives what takes it back or ends it, once. */
function turn(begin: () => void): () => void {
  let state: "waiting" | "loading" | "over" = "waiting";
  const start = () => {
    state = "loading";
    begin();
  };
  waiting.push(start);
  next();
  return () => {
    if (state === "loading") loading -= 1;
    else if (state === "waiting") waiting.splice(waiting.indexOf(start), 1);
    if (state !== "over") next();
    state = "over";
  };
}

/** A picture that is loaded in its turn, once it comes into view. */
export function QueuedImage({ src, className }: { src: string; className: string }) {
  const image = useRef<HTMLImageElement>(null);
  const end = useRef<() => void>(() => {});
  const [shown, setShown] = useState<string>();
  useEffect(() => {
    if (!image.current) return;
    const watch = new IntersectionObserver(([entry]) => {
      if (!entry?.isIntersecting) return;
      watch.disconnect();
      end.current = turn(() => setShown(src));
    });
    watch.observe(image.current);
    return () => {
      watch.disconnect();
      end.current();
    };
  }, [src]);
  const over = useCallback(() => end.current(), []);
  return (
    <img
      ref={image}
      src={shown}
      alt=""
      draggable={false}
      onLoad={over}
      onError={over}
      className={className}
    />
  );
}
