import { clsx } from "clsx";
import { geoEqualEarth, geoPath } from "d3-geo";
import { feature } from "topojson-client";
import type { GeometryCollection, Topology } from "topojson-specification";
import atlas from "world-atlas/countries-110m.json";

import { DataTable } from "@/charts/DataTable";
import { usePoints } from "@/charts/usePoints";

const world = atlas as unknown as Topology<{ countries: GeometryCollection<{ name: string }> }>;
// Without Antarctica, where nobody lives and which would take a fifth of the picture.
const LANDS = feature(world, world.objects.countries).features.filter((one) => one.id !== "010");

/** The two letters of a country by its number in the atlas. */
const lettersOf = (number: string): string => new Intl.Locale(`und-${number}`).region ?? "";
const LETTERS = new Map(LANDS.map((one) => [one, typeof one.id === "string" ? lettersOf(one.id) : ""]));

const FILLS = ["fill-sheet", "fill-sea-1", "fill-sea-2", "fill-teal [fill-opacity:0.6]", "fill-teal"] as const;
/** From which share of all on a country is darker. */
const STEPS = [0, 0.01, 0.05, 0.2] as const;
/** Drawn once, in units of its own; a page shows it in any width. */
const [WIDTH, HEIGHT] = [1000, 480];
const outline = geoPath(geoEqualEarth().fitSize([WIDTH, HEIGHT], { type: "FeatureCollection", features: LANDS }));
const OUTLINES = new Map(LANDS.map((one) => [one, outline(one) ?? ""]));

const shade = (share: number): number => (share > 0 ? STEPS.findLastIndex((from) => share >= from) + 1 : 0);

interface WorldMapProps {
  /** What it shows, in words. */
  title: string;
  /** The share of all of each country, by its two letters. */
  shares: ReadonlyMap<string, number>;
  /** What a country with a share is called, with its figure. */
  said: (country: string) => string;
  onTake: (country: string) => void;
}

/** Where visits come from, in five shades. The arrow keys read the countries, those with most first; Enter takes one. */
export function WorldMap({ title, shares, said, onTake }: WorldMapProps) {
  const countries = [...shares].sort(([, a], [, b]) => b - a).map(([country]) => country);
  const { at, pointAt, away, slider } = usePoints({
    title,
    count: countries.length,
    words: (place) => {
      const read = place === null ? undefined : countries[place];
      return read ? said(read) : "The arrow keys read it country by country, Enter takes one";
    },
    onTake: (place) => onTake(countries[place] ?? ""),
  });
  const read = at === null ? undefined : countries[at];
  // What is drawn last lies on top: the line around the country that is read is whole.
  const drawn = read ? [...LANDS].sort((a, b) => Number(LETTERS.get(a) === read) - Number(LETTERS.get(b) === read)) : LANDS;
  return (
    <figure className="min-w-0" data-map>
      <figcaption className="text-label wrap-anywhere text-ink-2">{title}</figcaption>
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="w-full" {...slider} onPointerLeave={away}>
        {drawn.map((land) => {
          const country = LETTERS.get(land) ?? "";
          const share = shares.get(country) ?? 0;
          return (
            <path
              key={`${land.id} ${land.properties.name}`}
              data-country={share > 0 ? country : undefined}
              d={OUTLINES.get(land)}
              className={clsx(
                FILLS[shade(share)],
                "[vector-effect:non-scaling-stroke]",
                share > 0 && country === read ? "stroke-magenta [stroke-width:1.5]" : "stroke-hairline-firm [stroke-width:0.5]",
                share > 0 && "cursor-pointer",
              )}
              onPointerMove={() => pointAt(share > 0 ? countries.indexOf(country) : null)}
              onClick={share > 0 ? () => onTake(country) : undefined}
            />
          );
        })}
      </svg>
      <p className="min-h-5 text-label wrap-anywhere" data-said>
        {read ? said(read) : ""}
      </p>
      <p className="flex flex-wrap gap-x-3.5 text-small text-ink-2">
        {["none", "under 1 %", "1 to 5 %", "5 to 20 %", "20 % and more"].map((words, place) => (
          <span key={words} className="inline-flex items-center gap-1.5">
            <svg width="14" height="10" aria-hidden="true">
              <rect className={clsx("stroke-hairline-firm", FILLS[place])} x="0.5" y="0.5" width="13" height="9" />
            </svg>
            {words}
          </span>
        ))}
      </p>
      <DataTable caption={title} heads={["Country", "Visits and share"]} rows={countries.map((one) => [one, said(one)])} />
    </figure>
  );
}
