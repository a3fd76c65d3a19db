// What is wrong in the scripts of the pages: names that are not there, values that are never used, comparisons that say nothing.
import js from "@eslint/js";
import globals from "globals";

export default [
  { ...js.configs.recommended, files: ["crates/app/**/*.js"] },
  {
    files: ["crates/app/**/*.js"],
    languageOptions: { ecmaVersion: 2024, sourceType: "module", globals: { ...globals.browser, htmx: "readonly" } },
    rules: {
      "array-callback-return": "error",
      "eqeqeq": "error",
      "no-constructor-return": "error",
      "no-duplicate-imports": "error",
      "no-promise-executor-return": "error",
      "no-self-compare": "error",
      "no-shadow": "error",
      "no-undef": "error",
      "no-unreachable-loop": "error",
      "no-unused-vars": ["error", { args: "after-used" }],
      "no-use-before-define": ["error", { functions: false, variables: false, classes: false }],
      "no-var": "error",
      "prefer-const": "error",
    },
  },
  { ignores: ["crates/app/static/vendor/**", "node_modules/**", "target/**"] },
];
