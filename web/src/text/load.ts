import i18next from "i18next";
import "./index";

type Catalogue = { interface: Record<string, string>; document: Record<string, string> };

/** The languages there are, beside English: every other file of this folder. */
const files = import.meta.glob<{ default: Catalogue }>(["./*.json", "!./en.json"]);
const english = () => import("./en.json") as Promise<{ default: Catalogue }>;

/** English between brackets: what is shown without them is not in the file. For those who translate. */
const MARKED = "marked";
const mark = (texts: Record<string, string>) =>
  Object.fromEntries(Object.entries(texts).map(([text]) => [text, `⟦${text}⟧`]));

/**
 * Loads the language before anything is shown: the one the address asks for (`?language=`), or the first of
 * the browser's that has a file. English needs none.
 */
export async function loadLanguage(): Promise<void> {
  const asked = new URLSearchParams(location.search).get("language");
  const wanted = (asked ? [asked] : navigator.languages).map((name) => name.split("-")[0] ?? name);
  for (const language of wanted) {
    if (language === "en") return;
    const load = language === MARKED ? english : files[`./${language}.json`];
    if (!load) continue;
    const texts = (await load()).default;
    const all = { ...texts.interface, ...texts.document };
    i18next.addResourceBundle(language, "translation", language === MARKED ? mark(all) : all);
    await i18next.changeLanguage(language);
    document.documentElement.lang = language === MARKED ? "en" : language;
    return;
  }
}
