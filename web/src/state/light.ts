const KEY = "uc-light";

export type Light = "day" | "night";

const systems = (): Light => (matchMedia("(prefers-color-scheme: dark)").matches ? "night" : "day");

/** Day or night: as chosen here, else as the system has it. */
export const light = (): Light => (localStorage.getItem(KEY) as Light | null) ?? systems();

export function applyLight(): void {
  document.documentElement.classList.toggle("night", light() === "night");
}

export function switchLight(): void {
  localStorage.setItem(KEY, light() === "day" ? "night" : "day");
  applyLight();
}
