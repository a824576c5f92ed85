"""Worth a look: what stands out in a period, found by fixed rules and told with its numbers (rules, decisions)."""
