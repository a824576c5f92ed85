import { useEffect, useState } from "react";

import { Button } from "@/ui/Button";

/** A piece of code, ready to be copied. */
export function Code({ text }: { text: string }) {
  const [copied, setCopied] = useState<"copied" | "refused" | null>(null);
  useEffect(() => {
    if (!copied) return;
    const later = setTimeout(() => setCopied(null), 2500);
    return () => clearTimeout(later);
  }, [copied]);
  const copy = () => {
    navigator.clipboard.writeText(text).then(
      () => setCopied("copied"),
      () => setCopied("refused"),
    );
  };
  return (
    <div className="flex flex-wrap items-center gap-2">
      <pre
        tabIndex={0}
        className="max-h-[180px] min-w-0 flex-[1_1_420px] overflow-auto rounded-xs border border-hairline-firm bg-paper px-3 py-2 wrap-anywhere whitespace-pre-wrap"
      >
        <code className="bg-transparent p-0">{text}</code>
      </pre>
      <Button onClick={copy}>Copy</Button>
      <span role="status" className="text-ink-2">
        {copied === "copied" && "Copied."}
        {copied === "refused" && "This browser does not let it be copied; mark it and copy it by hand."}
      </span>
    </div>
  );
}
