"""A site's hits as coded columns, and what the rules derive of them."""
