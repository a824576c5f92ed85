import type { Part } from "../tools";

const MOST = 5;
const HARMLESS = /^ResizeObserver loop/;

/** Errors of the page's own scripts, each once a view: one can keep a tag from being told. Those of the browser's additions are left out. */
const errors: Part = ({ on, tell, when }) => {
  let said = new Set<string>();
  when("viewed", () => (said = new Set()));
  const note = (message: unknown, file = "", line = 0): void => {
    const text = String(message ?? "").slice(0, 300);
    if (!text || said.size >= MOST || said.has(text) || HARMLESS.test(text) || (file && !/^https?:/.test(file))) return;
    said.add(text);
    tell("script error", { message: text, file: file.split(/[?#]/)[0] as string, line });
  };
  on(window, "error", (event) => {
    const { message, filename, lineno } = event as ErrorEvent;
    if (message) note(message, filename, lineno);
  });
  on(window, "unhandledrejection", (event) => {
    const { reason } = event as PromiseRejectionEvent;
    note(`Unhandled: ${(reason as Error | undefined)?.message ?? (reason as string)}`);
  });
};

uc_parts.push(errors);
