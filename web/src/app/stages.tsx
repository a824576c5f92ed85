import type { ReactNode } from "react";

/** A stage of the work with its views; a stage joins when it has one, a view when it is finished. */
export interface Stage {
  name: string;
  number: number;
  icon: ReactNode;
  views: { name: string; path: string }[];
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
      { name: "Site code", path: "tag/site-code" },
      { name: "Events", path: "tag/events" },
      { name: "Goals", path: "tag/goals" },
      { name: "Site fields", path: "tag/fields" },
      { name: "Rules", path: "tag/rules" },
      { name: "Links", path: "tag/links" },
      { name: "Channels", path: "tag/channels" },
      { name: "Settings", path: "tag/settings" },
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
      { name: "Now", path: "watch/now" },
      { name: "Visits", path: "watch/visits" },
      { name: "Tag health", path: "watch/tag-health" },
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
    views: [{ name: "Overview", path: "read/overview" }],
  },
];

export const HOME = "read/overview";

/** The address of a view of a site. */
export const viewPath = (site: string, path: string): string => `/s/${site}/${path}`;
