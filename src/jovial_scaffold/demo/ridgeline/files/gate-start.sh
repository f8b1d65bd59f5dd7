#!/bin/sh
# Started on every ticket gate of ${line}; $${STATION} is set on the machine.
export RANGE=${range}
export LOG_LEVEL=${log_level:-info}
exec gate --line ${line} --station "$STATION"
