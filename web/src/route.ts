/** Where views are. */

import { navigate } from "wouter/use-browser-location";

/** Marks the address of a sky that was started empty and has not been looked at. */
export const FRESH = "#fresh";

/** Goes to a view by its address. */
export const go = (path: string) => navigate(path);
