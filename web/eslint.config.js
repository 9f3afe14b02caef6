import js from "@eslint/js";
import { createTypeScriptImportResolver } from "eslint-import-resolver-typescript";
import importX from "eslint-plugin-import-x";
import jsxA11y from "eslint-plugin-jsx-a11y";
import reactHooks from "eslint-plugin-react-hooks";
import globals from "globals";
import tseslint from "typescript-eslint";

// Folders of src, from the bottom up: each imports from those below it alone, so that there is no ring.
const LAYERS = [
  ["generated", "wording"],
  ["lib"],
  ["api"],
  ["ui"],
  ["hear"],
  ["song"],
  ["people"],
  ["intake"],
  ["voice", "layers", "tone"],
  ["chart", "grid", "forms", "seams", "sheet", "click", "levels", "messages"],
  ["shows"],
  ["songs", "setlists", "outputs", "stage"],
  ["shell"],
];

const zones = LAYERS.flatMap((layer, height) =>
  layer.map((folder) => ({
    target: `./src/${folder}/**/!(*.test).{ts,tsx}`,
    from: [...LAYERS.slice(height + 1).flat(), ...layer.filter((other) => other !== folder), "test"].map(
      (other) => `./src/${other}`,
    ),
    message: `${folder} stands below or beside it.`,
  })),
);

export default tseslint.config(
  { ignores: ["dist", "src/generated"] },
  js.configs.recommended,
  ...tseslint.configs.recommendedTypeChecked,
  jsxA11y.flatConfigs.recommended,
  reactHooks.configs.flat["recommended-latest"],
  {
    files: ["**/*.{ts,tsx}"],
    plugins: { "import-x": importX },
    languageOptions: {
      globals: globals.browser,
      parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname },
    },
    settings: { "import-x/resolver-next": [createTypeScriptImportResolver()] },
    rules: {
      "import-x/no-cycle": "error",
      "import-x/no-restricted-paths": ["error", { basePath: import.meta.dirname, zones }],
      "max-lines": ["error", { max: 400 }],
      "max-lines-per-function": ["error", { max: 50, skipComments: true, skipBlankLines: true }],
      // A handler may give a promise: its refusal is shown where the edit is made.
      "@typescript-eslint/no-misused-promises": ["error", { checksVoidReturn: { attributes: false } }],
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      // The newest props are kept for handlers that outlive a rendering, as React's own docs do for timers.
      "react-hooks/refs": "off",
      // A field follows its value when somebody else changed it; there is nothing to derive it from while one types.
      "react-hooks/set-state-in-effect": "off",
    },
  },
  { files: ["**/*.js"], ...tseslint.configs.disableTypeChecked },
  {
    files: ["src/hear/*.js"],
    languageOptions: {
      globals: { ...globals.worker, AudioWorkletProcessor: "readonly", registerProcessor: "readonly" },
    },
  },
  // What `describe` is given is a list of tests, and the helpers of tests are data.
  { files: ["src/**/*.test.{ts,tsx}", "src/test/*"], rules: { "max-lines-per-function": "off" } },
  { files: ["src/test/setup.ts"], rules: { "@typescript-eslint/unbound-method": "off" } },
);
