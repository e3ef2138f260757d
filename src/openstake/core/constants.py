"""Constants of nature and of the standards, each with its source."""

from __future__ import annotations

SPEED_OF_LIGHT_M_S = 299_792_458.0  # exact, SI
EARTH_GM_M3_S2 = 3.986005e14  # IS-GPS-200, the value of the broadcast orbit model
EARTH_ROTATION_RAD_S = 7.2921151467e-5  # IS-GPS-200
IERS_GM_M3_S2 = 3.986004418e14  # Galileo OS SIS ICD; BeiDou SIS ICD, B1I
BEIDOU_ROTATION_RAD_S = 7.2921150e-5  # BeiDou SIS ICD, B1I
# GLONASS ICD 5.1, section A.3.1.2 with the numbers of PZ-90.11: J2, the Earth's radius and rotation.
PZ90_GM_M3_S2, PZ90_J2, PZ90_RADIUS_M, PZ90_ROTATION_RAD_S = 3.986004418e14, 1.08262575e-3, 6_378_136.0, 7.292115e-5
GPS_MINUS_UTC_S = 18  # leap seconds since 2017-01-01, IERS Bulletin C 52
GPS_MINUS_BEIDOU_S = 14  # BeiDou time started on 2006-01-01 with 14 leap seconds gone by
MOSCOW_MINUS_UTC_S = 10_800  # GLONASS time of day is UTC + 3 h (GLONASS ICD)
DAY_S = 86_400
WEEK_S = 604_800

# Radius of the circle that holds 95 % of a circular normal distribution, in sigmas: sqrt(-2 ln 0.05).
CIRCLE_95 = 2.4477468306808166
# Half width that holds 95 % of a normal distribution, in sigmas.
LINE_95 = 1.959963984540054
# The same for 99.9 %: sqrt(-2 ln 0.001), and of a line.
CIRCLE_999 = 3.7169221888498383
LINE_999 = 3.2905267314918945

EARTH_MEAN_RADIUS_M = 6_371_000.0
METRES_PER_MINUTE_OF_LATITUDE = 1852.0  # of latitude, about
