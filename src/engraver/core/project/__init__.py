"""The project file, the recipe file, and the journal that keeps unsaved work."""
