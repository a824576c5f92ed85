"""Beyond one machine: the visitors of every site are split among parts, each tallies its own, and tallies are merged up a tree."""
