"""The window: Qt Widgets that draw and ask. They hold no arithmetic."""
