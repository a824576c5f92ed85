// Figures and dates are written as the reader's browser has it; here that is settled, whatever machine it is.
Object.defineProperty(globalThis, "navigator", { value: { language: "en-GB", onLine: true }, configurable: true });
