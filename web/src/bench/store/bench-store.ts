import { create } from "zustand";
import { documentState, type DocumentState } from "./document";
import { clearNotice } from "../../ui/notices";
import { NOTICE, viewState, type ViewState } from "./view";

/** The state of the Bench: the open document, and what is shown of it. */
export const useBench = create<DocumentState & ViewState>()((...api) => {
  const document = documentState(...api);
  return {
    ...document,
    ...viewState(...api),
    undo: () => {
      document.undo();
      clearNotice(NOTICE);
    },
  };
});
