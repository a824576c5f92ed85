import type { Schemas } from "@/api/client";

const path = (site: string): string => `/api/v1/sites/${site}/reports/table`;
/** Within single quotes of a shell nothing is special but the quote itself. */
const quoted = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;
/** JSON as Python writes it. */
const inPython = (value: unknown, indent = 0): string => {
  const space = " ".repeat(indent + 4);
  const end = " ".repeat(indent);
  if (value === null) return "None";
  if (typeof value === "boolean") return value ? "True" : "False";
  if (Array.isArray(value))
    return value.length ? `[\n${value.map((one) => `${space}${inPython(one, indent + 4)},\n`).join("")}${end}]` : "[]";
  if (typeof value === "object")
    return `{\n${Object.entries(value as object)
      .map(([key, one]) => `${space}${JSON.stringify(key)}: ${inPython(one, indent + 4)},\n`)
      .join("")}${end}}`;
  return JSON.stringify(value);
};

/** A table's request as code that is ready to run, with a token in the environment. */
export function apiCall(language: "curl" | "Python", site: string, request: Schemas["TableRequest"], origin: string): string {
  if (language === "curl")
    return [
      `curl ${quoted(origin + path(site))} \\`,
      `  -H "Authorization: Bearer $COMPASS_TOKEN" -H "Content-Type: application/json" \\`,
      `  -d ${quoted(JSON.stringify(request))}`,
    ].join("\n");
  return [
    "import json, os, urllib.request",
    "",
    `asked = ${inPython(request)}`,
    "request = urllib.request.Request(",
    `    ${JSON.stringify(origin + path(site))},`,
    "    json.dumps(asked).encode(),",
    '    {"Authorization": f"Bearer {os.environ[\'COMPASS_TOKEN\']}", "Content-Type": "application/json"},',
    ")",
    "with urllib.request.urlopen(request) as answer:",
    "    print(json.load(answer))",
  ].join("\n");
}
