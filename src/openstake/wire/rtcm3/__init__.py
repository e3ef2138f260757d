"""RTCM 10403.3, version 3 messages: framing, station, descriptors, observables."""
