import { useQuery } from "@tanstack/react-query";

async function measured(site: string): Promise<number> {
  const script = await (await fetch(`/uc.js?site=${site}`)).blob();
  const packed = script.stream().pipeThrough(new CompressionStream("gzip"));
  return (await new Response(packed).blob()).size;
}

/** How many bytes the site's script is, gzipped; null until that is known. */
export function useScriptSize(site: string): number | null {
  const { data } = useQuery({ queryKey: ["script size", site], queryFn: () => measured(site), staleTime: Infinity, retry: false });
  return data ?? null;
}
