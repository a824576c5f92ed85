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
    <div className="code">
      <pre tabIndex={0}>
        <code>{text}</code>
      </pre>
      <Button onClick={copy}>Copy</Button>
      <span role="status" className="quiet">
        {copied === "copied" && "Copied."}
        {copied === "refused" && "This browser does not let it be copied; mark it and copy it by hand."}
      </span>
    </div>
  );
}
