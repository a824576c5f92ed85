import type { Part } from "../tools";

const FILE =
  /\.(7z|avi|csv|docx?|epub|gz|ics|jpe?g|key|m4a|mobi|mov|mp3|mp4|odp|ods|odt|ogg|pdf|png|pptx?|rar|rtf|svg|tar|txt|wav|webm|webp|xlsx?|zip)$/i;

/** Links that fetch a file, and links that lead to another host. */
const links: Part = ({ given, tell, when, bare, owns, safely }) =>
  when("clicked", (element) => {
    const link = element.closest<HTMLAnchorElement>("a[href],area[href]");
    if (!link || !/^https?:$/.test(link.protocol)) return;
    const file = link.pathname.split("/").pop() ?? "";
    if (link.hasAttribute("download") || FILE.test(file)) {
      const name = link.getAttribute("download") || safely(decodeURIComponent)(file) || file;
      if (given.downloads) tell("file download", { file: name, extension: /\.(\w+)$/.exec(name)?.[1]?.toLowerCase() ?? "" }, link);
    } else if (given.outbound && !owns(link.hostname))
      tell("outbound click", { host: bare(link.hostname), href: link.href.split("#")[0] as string }, link);
  });

uc_parts.push(links);
