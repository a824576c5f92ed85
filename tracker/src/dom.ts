// A form or a picture that bears the name of something of the document hides it ("title", "cookie"): so the document's own are asked.
const of = (name: string): PropertyDescriptor | undefined => Object.getOwnPropertyDescriptor(Document.prototype, name);

/** Something of the document's own, by name. */
export const doc = <T = string>(name: string): T => of(name)?.get?.call(document) as T;

export const setCookie = (text: string): unknown => of("cookie")?.set?.call(document, text);

export const all = <E extends Element>(selector: string): NodeListOf<E> =>
  Document.prototype.querySelectorAll.call(document, selector) as NodeListOf<E>;

export const hidden = (): boolean => doc("visibilityState") === "hidden";
