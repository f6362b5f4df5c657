import i18next from "i18next";

/**
 * The words of the interface. They stand in English where they are used and are the keys of `en.json`, which
 * holds all of them; a second file beside it is another language (`load.ts`). Values in `{{braces}}` are
 * filled in, and may change places.
 */
void i18next.init({
  lng: "en",
  fallbackLng: false,
  resources: {},
  initAsync: false,
  showSupportNotice: false,
  keySeparator: false,
  nsSeparator: false,
  interpolation: { escapeValue: false, skipOnVariables: true },
});

/** The text in the language that was loaded; English where it has none. */
export const t = (english: string, values?: Record<string, string | number | null | undefined>): string =>
  english && i18next.t(english, values ?? {});
