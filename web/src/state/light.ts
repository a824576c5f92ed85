import { keep, readKept } from "@/state/kept";

const KEY = "uc-light";

export type Light = "day" | "night";

const DARK = matchMedia("(prefers-color-scheme: dark)");
const systems = (): Light => (DARK.matches ? "night" : "day");

// Chosen on this page, where the browser keeps nothing.
let chosen: Light | null = null;

/** Day or night: as chosen here, else as the system has it. */
export const light = (): Light => chosen ?? (readKept(KEY) as Light | null) ?? systems();

export function applyLight(): void {
  document.documentElement.classList.toggle("night", light() === "night");
}

/** When the system turns to night, so does the page, unless it was chosen here. */
export const followSystem = (): void => DARK.addEventListener("change", applyLight);

export function switchLight(): void {
  chosen = light() === "day" ? "night" : "day";
  keep(KEY, chosen);
  applyLight();
}
