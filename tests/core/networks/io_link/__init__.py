"""What hangs on the ports of IO-Link masters."""
