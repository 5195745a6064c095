"""The answers that can be said in sentences."""

SAID = ("compare", "relate", "drivers", "pace", "land")
