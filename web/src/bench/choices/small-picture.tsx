import { t } from "../../text";
import { useEffect, useState } from "react";
import { api } from "../../data/api";
import type { Sky } from "../../data/sky";

/** What a document looks like, drawn once. */
export function SmallPicture({ document, width }: { document: () => Sky; width: number }) {
  const [source, setSource] = useState<string | null>(null);
  const [failed, setFailed] = useState(false);
  useEffect(() => {
    const stop = new AbortController();
    let made: string | null = null;
    api
      .picture(document(), width, stop.signal)
      .then((blob) => setSource((made = URL.createObjectURL(blob))))
      .catch(() => setFailed(!stop.signal.aborted));
    return () => {
      stop.abort();
      if (made) URL.revokeObjectURL(made);
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- it is drawn once
  }, []);
  return (
    <span className="block bg-bench" style={{ aspectRatio: "16 / 9" }}>
      {source ? (
        <img src={source} alt="" className="block h-full w-full object-cover" />
      ) : (
        <span className="block p-2 text-small text-quiet">{failed ? t("no picture") : t("drawing…")}</span>
      )}
    </span>
  );
}
