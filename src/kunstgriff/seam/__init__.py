"""Seams that stay hidden: covers now; trims and patches will stand beside them."""
