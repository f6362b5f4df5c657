import { createRoot } from "react-dom/client";
import { loadLanguage } from "./text/load";
import "./theme/theme.css";

// Texts are looked up when their file is loaded, so the language comes first.
await loadLanguage();
const { App } = await import("./app");
const root = document.getElementById("root");
if (root) createRoot(root).render(<App />);
