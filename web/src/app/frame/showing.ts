/** What is shown over everything, asked for from anywhere. */
export const SHOW_KEYS = "uc-show-keys";
export const SHOW_PALETTE = "uc-show-palette";

export const showKeys = (): void => void window.dispatchEvent(new Event(SHOW_KEYS));
export const showPalette = (): void => void window.dispatchEvent(new Event(SHOW_PALETTE));
