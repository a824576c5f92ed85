/** Currencies by the regions that people usually have in their browser; the rest is asked. */
// prettier-ignore
const BY_REGION: Record<string, string> = {
  AU: "AUD", BG: "BGN", BR: "BRL", CA: "CAD", CH: "CHF", CN: "CNY", CZ: "CZK", DK: "DKK", GB: "GBP", HU: "HUF", IL: "ILS", IN: "INR", IS: "ISK", JP: "JPY",
  KR: "KRW", LI: "CHF", MX: "MXN", NO: "NOK", NZ: "NZD", PL: "PLN", RO: "RON", SE: "SEK", SG: "SGD", TR: "TRY", UA: "UAH", US: "USD", ZA: "ZAR",
};

/** The currency that is likely where somebody's browser is from. */
export function usualCurrency(locale: string): string {
  const region = new Intl.Locale(locale).maximize().region ?? "";
  return BY_REGION[region] ?? "EUR";
}
