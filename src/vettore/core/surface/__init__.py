"""Surfaces over scattered sites: gridding by triangles, thin plates and kriging; hills, sections, contours, volumes."""
