import { useEffect, useState } from "react";

import { Button } from "@/ui/Button";
import { copied, NOT_COPIED } from "@/ui/copied";

/** A piece of code, ready to be copied. */
export function Code({ text }: { text: string }) {
  const [said, setSaid] = useState("");
  useEffect(() => {
    if (!said) return;
    const later = setTimeout(() => setSaid(""), 2500);
    return () => clearTimeout(later);
  }, [said]);
  const copy = () => void copied(text).then((isDone) => setSaid(isDone ? "Copied." : NOT_COPIED));
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
        {said}
      </span>
    </div>
  );
}
