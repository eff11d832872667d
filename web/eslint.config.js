import js from "@eslint/js";
import globals from "globals";
import hooks from "eslint-plugin-react-hooks";
import refresh from "eslint-plugin-react-refresh";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.gen.d.ts"] },
  {
    files: ["src/**/*.{ts,tsx}"],
    extends: [js.configs.recommended, ...tseslint.configs.recommended],
    languageOptions: { globals: globals.browser },
    plugins: { "react-hooks": hooks, "react-refresh": refresh },
    rules: {
      ...hooks.configs.recommended.rules,
      "react-refresh/only-export-components": "off",
      "@typescript-eslint/no-explicit-any": "error",
      "max-lines": ["error", 420],
      // A bar without a name says nothing to who cannot see it.
      "no-restricted-imports": [
        "error",
        {
          paths: [{ name: "@mui/material/LinearProgress", message: "Use components/Progress: it is named." }],
        },
      ],
      "max-len": ["error", { code: 110, ignoreUrls: true }],
    },
  },
  { files: ["src/components/Progress.tsx"], rules: { "no-restricted-imports": "off" } },
);
