"""Tools for who tags a site: links, codes, tag rules."""
