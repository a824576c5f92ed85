import type { ReactNode } from "react";

import type { ViewPath } from "@/state/paths";

/** A stage of the work with its views; a stage joins when it has one, a view when it is finished. */
export interface Stage {
  name: string;
  number: number;
  icon: ReactNode;
  /** `isTimeless`: the chosen days and the segment change nothing there. */
  views: { name: string; path: ViewPath; isTimeless?: true }[];
}

export const STAGES: Stage[] = [
  {
    name: "Tag",
    number: 1,
    icon: (
      <>
        <path d="M12.5 3.5v12M12.5 4l6.5 2.6-6.5 3.2" />
        <path d="M6.5 15.5h12l-2.4 5.2H8.9zM3.5 18.6c1.2-.9 2-.9 3.2 0M18.3 18.6c1.2-.9 2-.9 3.2 0" />
      </>
    ),
    views: [
      { name: "Site code", path: "/s/$site/tag/site-code", isTimeless: true },
      { name: "Events", path: "/s/$site/tag/events" },
      { name: "Goals", path: "/s/$site/tag/goals", isTimeless: true },
      { name: "Site fields", path: "/s/$site/tag/fields", isTimeless: true },
      { name: "Rules", path: "/s/$site/tag/rules", isTimeless: true },
      { name: "Links", path: "/s/$site/tag/links", isTimeless: true },
      { name: "Channels", path: "/s/$site/tag/channels", isTimeless: true },
      { name: "Import", path: "/s/$site/tag/import", isTimeless: true },
      { name: "Settings", path: "/s/$site/tag/settings", isTimeless: true },
      { name: "People", path: "/s/$site/tag/people", isTimeless: true },
      { name: "Changes", path: "/s/$site/tag/changes", isTimeless: true },
    ],
  },
  {
    name: "Watch",
    number: 2,
    icon: (
      <>
        <path d="M9.2 21.5 10.6 10h3.8l1.4 11.5M7 21.5h11" />
        <path d="M10 6.6h5V10h-5zM9.4 6.6 12.5 4l3.1 2.6" />
        <path d="M7.6 7.6 3.5 6M7.6 9.4l-4.1 1.4M17.4 7.6 21.5 6M17.4 9.4l4.1 1.4" />
      </>
    ),
    views: [
      { name: "Now", path: "/s/$site/watch/now", isTimeless: true },
      { name: "Visits", path: "/s/$site/watch/visits" },
      { name: "Tag health", path: "/s/$site/watch/tag-health", isTimeless: true },
    ],
  },
  {
    name: "Read",
    number: 3,
    icon: (
      <>
        <circle cx="12.5" cy="4.4" r="1.9" />
        <path d="M11.7 6.2 6 21.5M13.3 6.2 19 21.5" />
        <path d="M8.8 14.2a9 9 0 0 0 7.4 0" />
      </>
    ),
    views: [
      { name: "Overview", path: "/s/$site/read/overview" },
      { name: "Pages", path: "/s/$site/read/pages" },
      { name: "Sources", path: "/s/$site/read/sources" },
      { name: "Audience", path: "/s/$site/read/audience" },
      { name: "Events", path: "/s/$site/read/events" },
    ],
  },
  {
    name: "Explain",
    number: 4,
    icon: (
      <>
        <circle cx="5" cy="12.5" r="2" />
        <circle cx="19.5" cy="5.5" r="2" />
        <circle cx="19.5" cy="12.5" r="2" />
        <circle cx="19.5" cy="19.5" r="2" />
        <path d="M7 12.5h10.5M7 12.5c5 0 5.5-7 10.5-7M7 12.5c5 0 5.5 7 10.5 7" />
      </>
    ),
    views: [
      { name: "Compare", path: "/s/$site/explain/compare" },
      { name: "Funnels", path: "/s/$site/explain/funnels" },
      { name: "Paths", path: "/s/$site/explain/paths" },
      { name: "Attribution", path: "/s/$site/explain/attribution" },
      { name: "Drivers", path: "/s/$site/explain/drivers" },
      { name: "Segments", path: "/s/$site/explain/segments" },
    ],
  },
];
