/** What this browser keeps under a name. One that keeps nothing has nothing. */
export function readKept(name: string): string | null {
  try {
    return localStorage.getItem(name);
  } catch {
    return null;
  }
}

/** Has the browser keep a text, or with null forget it; one that keeps nothing is left in peace. */
export function keep(name: string, text: string | null): void {
  try {
    if (text === null) localStorage.removeItem(name);
    else localStorage.setItem(name, text);
  } catch {
    // It holds for as long as the page stands.
  }
}
