"""What Modbus over a serial line and over TCP have in common: functions and their protocol data units."""
