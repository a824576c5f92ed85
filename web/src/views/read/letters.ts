import { createContext, useContext } from "react";

/** The letters of what is worth a look, by the value that they speak of. */
export type Letters = ReadonlyMap<string, string>;

const Context = createContext<Letters>(new Map());
export const LettersProvider = Context.Provider;
export const useLetters = (): Letters => useContext(Context);
export const letterKey = (dimension: string, value: string): string => `${dimension}:${value}`;
