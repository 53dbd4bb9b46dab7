"""Seams that stay hidden: treatments as recipes, made from the parts' own ink and fill and made anew with them."""
