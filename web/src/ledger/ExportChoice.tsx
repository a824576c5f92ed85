import { useState } from "react";

import type { Schemas } from "@/api/client";
import { useAddress } from "@/api/useAddress";
import { tableFile } from "@/api/exports";
import { FileMenu, type FileChoice } from "@/ledger/FileMenu";
import { Code } from "@/ui/Code";
import { Dialog } from "@/ui/Dialog";
import { MenuItem } from "@/ui/Menu";
import { Tabs } from "@/ui/Tabs";
import { apiCall } from "@/words/apiCall";

interface ExportChoiceProps {
  site: string;
  /** What the files are called. */
  title: string;
  /** The request whose rows are shown. */
  request: Schemas["TableRequest"];
  /** How many rows are shown, and how many there are. */
  shown: number;
  count: number;
  /** The rows as they stand with those that are opened, where one is. */
  opened: FileChoice | null;
}

/** A ledger as a file, what is seen of it or all of its rows; and the request behind it, to be made by programs. */
export function ExportChoice({ site, title, request, shown, count, opened }: ExportChoiceProps) {
  const [isCalled, setCalled] = useState(false);
  const of = (rows: "shown" | "all", words: string): FileChoice => ({
    words,
    make: (format) => tableFile(site, format, { ...request, limit: Math.max(shown, 1) }, rows),
  });
  const choices = [...(opened ? [opened] : shown < count ? [of("shown", `these ${shown} rows`)] : []), of("all", `all ${count} rows`)];
  return (
    <>
      <FileMenu title={`${title} ${request.period.first} to ${request.period.last}`} choices={choices}>
        <MenuItem className="border-t border-hairline" onSelect={() => setCalled(true)}>
          As a call to the API …
        </MenuItem>
      </FileMenu>
      <Dialog open={isCalled} title={`${title}, as a call to the API`} onClose={() => setCalled(false)}>
        <p className="my-2 text-ink-2">
          It gives these rows to whoever has a token that may read, given as COMPASS_TOKEN. Your account makes one.
        </p>
        <Calls site={site} request={request} />
      </Dialog>
    </>
  );
}

/** The request in each language; written only where it is looked at. */
function Calls({ site, request }: Pick<ExportChoiceProps, "site" | "request">) {
  const address = useAddress();
  const [language, setLanguage] = useState<"curl" | "Python">("curl");
  return (
    <Tabs
      label="Language"
      value={language}
      onChange={(to) => setLanguage(to === "curl" ? to : "Python")}
      tabs={(["curl", "Python"] as const).map((value) => ({
        value,
        label: value,
        content: <Code text={apiCall(value, site, request, address)} />,
      }))}
    />
  );
}
