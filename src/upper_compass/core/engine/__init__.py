"""What reports are made of: dimensions, measures, selections, tallies."""
