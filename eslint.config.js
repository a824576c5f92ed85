import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["**/dist/**", "web/src/generated/**"] },
  js.configs.recommended,
  ...ts.configs.strict,
  {
    files: ["web/src/ui/**"],
    rules: { "no-restricted-imports": ["error", { patterns: [{ group: ["@/*", "!@/ui"], message: "The kit knows of no view, no words and no server." }] }] },
  },
  { plugins: { "react-hooks": hooks }, rules: { "react-hooks/rules-of-hooks": "error", "react-hooks/exhaustive-deps": "error" } },
);
