// What every script of Tarvik is held to.
import js from "@eslint/js";
import globals from "globals";

const workers = ["**/*-worker.js"];

export default [
  js.configs.recommended,
  {
    languageOptions: { ecmaVersion: 2024, sourceType: "module", globals: globals.browser },
    linterOptions: { reportUnusedDisableDirectives: "error" },
    rules: {
      complexity: ["error", 16],
      eqeqeq: "error",
      "max-depth": ["error", 4],
      "max-len": ["error", { code: 100, ignoreUrls: true }],
      "max-lines": ["error", 360],
      "max-params": ["error", 5],
      "no-implicit-globals": "error",
      "no-shadow": "error",
      "no-var": "error",
      "object-shorthand": "error",
      "prefer-const": "error",
      "prefer-template": "error",
    },
  },
  {
    // A worker's functions are its own: no other script shares its global scope.
    files: workers,
    languageOptions: { globals: globals.serviceworker, sourceType: "script" },
    rules: { "no-implicit-globals": "off" },
  },
  { files: ["**/*.mjs"], languageOptions: { globals: globals.node } },
];
