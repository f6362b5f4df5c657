import js from "@eslint/js";
import texts from "eslint-plugin-i18next";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["dist", "node_modules"] },
  js.configs.recommended,
  ...ts.configs.strict,
  {
    plugins: { "react-hooks": hooks },
    rules: { "react-hooks/rules-of-hooks": "error", "react-hooks/exhaustive-deps": "error" },
  },
  {
    // What is shown is a text of `src/text`, handed to `t`.
    files: ["src/**/*.tsx"],
    plugins: { i18next: texts },
    rules: {
      "i18next/no-literal-string": ["error", { mode: "jsx-text-only", words: { exclude: ["[^A-Za-z]*m?"] } }],
    },
  },
);
