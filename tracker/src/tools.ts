export type Props = Record<string, string | number | boolean>;

/** What a part of the script works with. A part is sent only to sites that use it, and knows of the script no more than this. */
export interface Tools {
  /** What the site's settings say to the parts. */
  given: Given;
  on: (target: EventTarget, kind: string, run: (event: Event) => void, capture?: boolean) => void;
  /** Tell of something that the script found out by itself, unless the element is marked with that very name and so tells it already. */
  tell: (name: string, props: Props, element?: Element) => void;
  /** After each view. */
  viewed: (run: () => void) => void;
  /** When an element is clicked, with any button that follows a link. */
  clicked: (run: (element: Element) => void) => void;
  /** When the page may go away. */
  leaving: (run: () => void) => void;
}

export interface Given {
  hosts?: string[];
  searches?: string[];
  players?: string[];
  downloads?: boolean;
  outbound?: boolean;
}

export type Part = (tools: Tools) => void;

declare global {
  /** Parts that stand before the script put themselves in here. */
  const uc_parts: Part[];
}
