"""IO-Link (IEC 61131-9): what hangs on a master's ports, whatever fieldbus brings its data. No fieldbus of its own."""
