import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

// The rooms of the front end, from the ground up; each may use those before it, and none behind it.
const ROOMS = ["generated", "api", "ui", "state", "words", "charts", "forms", "ledger", "views", "app"];

/** What of a room a room below it may not use; `@/api/client` names the shapes of the data, which every room may know. */
const boundary = (room, above) => ({
  files: [`web/src/${room}/**`],
  rules: {
    "no-restricted-imports": [
      "error",
      { patterns: [{ group: above.map((one) => `@/${one}/*`), message: `The room ${room} does not know what is built on it.` }] },
    ],
  },
});

export default ts.config(
  { ignores: ["**/dist/**", "web/src/generated/**"] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...ROOMS.map((room, place) => boundary(room, [...ROOMS.slice(place + 1), ...(room === "ui" ? ["api"] : [])])).filter(
    (one) => !one.files[0].includes("/app/"),
  ),
  { plugins: { "react-hooks": hooks }, rules: { "react-hooks/rules-of-hooks": "error", "react-hooks/exhaustive-deps": "error" } },
);
