/** What is said where a text cannot be copied. */
export const NOT_COPIED = "This browser does not let it be copied; mark it and copy it by hand.";

/** Puts a text on the clipboard, and whether the browser let it: on a page without https there is none. */
export async function copied(text: string): Promise<boolean> {
  try {
    await navigator.clipboard.writeText(text);
    return true;
  } catch {
    return false;
  }
}
