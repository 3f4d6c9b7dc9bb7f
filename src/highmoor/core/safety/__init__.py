"""Safety: functions with their parts, how soon and how surely they act."""
