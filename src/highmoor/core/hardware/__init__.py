"""Rails, modules and the controller's own addresses."""
