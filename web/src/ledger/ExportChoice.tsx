import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { apiCall } from "@/words/apiCall";
import { download } from "@/words/download";
import { Button } from "@/ui/Button";
import { Code } from "@/ui/Code";
import { Dialog } from "@/ui/Dialog";
import { Menu, MenuItem } from "@/ui/Menu";
import { Tabs } from "@/ui/Tabs";
import { notify } from "@/ui/Toast";

const FORMATS = [
  { format: "csv", words: "CSV" },
  { format: "xlsx", words: "XLSX" },
  { format: "jsonl", words: "JSON Lines" },
  { format: "parquet", words: "Parquet" },
] as const;
type Format = (typeof FORMATS)[number]["format"];

interface ExportChoiceProps {
  site: string;
  /** What the files are called. */
  title: string;
  /** The request whose rows are shown. */
  request: Schemas["TableRequest"];
  /** How many rows are shown, and how many there are. */
  shown: number;
  count: number;
}

/** A ledger as a file, what is seen of it or all of its rows; and the request behind it, to be made by programs. */
export function ExportChoice({ site, title, request, shown, count }: ExportChoiceProps) {
  const [isCalled, setCalled] = useState(false);
  const [language, setLanguage] = useState<"curl" | "Python">("curl");
  const made = useMutation({
    mutationFn: ({ format, rows }: { format: Format; rows: "shown" | "all" }) =>
      ask(
        client.POST("/api/v1/sites/{site}/exports/table", {
          params: { path: { site }, query: { format, rows } },
          body: { ...request, limit: Math.max(shown, 1) },
          parseAs: "blob",
        }),
      ),
    onSuccess: (data, { format }) =>
      download(data as unknown as Blob, `${title} ${request.period.first} to ${request.period.last}.${format}`),
    onError: (error) => notify(error.detail),
  });
  const choices = shown < count ? (["shown", "all"] as const) : (["all"] as const);
  return (
    <>
      <Menu
        align="end"
        trigger={
          <Button kind="link" aria-busy={made.isPending}>
            {made.isPending ? "Exporting …" : "Export"}
          </Button>
        }
      >
        {choices.map((rows) =>
          FORMATS.map(({ format, words }) => (
            <MenuItem key={`${rows} ${format}`} onSelect={() => made.mutate({ format, rows })}>
              {words}
              {choices.length > 1 && (rows === "shown" ? `, these ${shown} rows` : `, all ${count} rows`)}
            </MenuItem>
          )),
        )}
        <MenuItem className="border-t border-hairline" onSelect={() => setCalled(true)}>
          As a call to the API …
        </MenuItem>
      </Menu>
      <Dialog open={isCalled} title={`${title}, as a call to the API`} onClose={() => setCalled(false)}>
        <p className="my-2 text-ink-2">
          It gives these rows to whoever has a token of this installation (./compass token makes one), given as COMPASS_TOKEN.
        </p>
        <Tabs
          label="Language"
          value={language}
          onChange={(to) => setLanguage(to === "curl" ? to : "Python")}
          tabs={(["curl", "Python"] as const).map((value) => ({
            value,
            label: value,
            content: <Code text={apiCall(value, site, request)} />,
          }))}
        />
      </Dialog>
    </>
  );
}
