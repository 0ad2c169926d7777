"""The made-up sample world of Lantern Quay, a harbour-side tasting room."""
