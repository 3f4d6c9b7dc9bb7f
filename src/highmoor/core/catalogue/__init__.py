"""Device types: what a description file, or a built-in, says of a device."""
