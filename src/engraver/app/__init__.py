"""The window: shows core models, turns gestures into edits, holds no truth of its own."""
