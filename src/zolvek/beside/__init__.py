"""Other programs and machines beside this one, in time: ports, clocks and OSC. No interface code."""
