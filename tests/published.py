"""Values from outside the project, each with its source; tolerances follow from the printed digits."""

HALF_A_MILLIMETRE = 0.0005
ONE_CENTIMETRE = 0.01
HALF_A_TENTH_OF_A_MILLIMETRE = 0.00005

# RTCM 10403.x, the example of message 1005 (also in pyrtcm's tests).
RTCM_1005_EXAMPLE = bytes.fromhex("D300133ED7D30202980EDEEF34B4BD62AC0941986F33360B98")
RTCM_1005_STATION = (2003, 1114104.5999, -4850729.7108, 3975521.4643)

# pyrtcm's test_stream.py, line 574: a real 1006.
RTCM_1006_XYZ = (1762489.6191, -5027633.8438, -3496008.8438)
RTCM_1006_ANTENNA_HEIGHT = 0.0343

# GDA2020 technical manual, station ALIC; also in PROJ's GDA.gie: latitude, longitude (GRS 80), height, X, Y, Z.
ALIC_GEODETIC = (-(23 + 40 / 60 + 12.39650 / 3600), 133 + 53 / 60 + 7.87779 / 3600, 603.2489)  # from memory
ALIC_XYZ = (-4052052.7379, 4212835.9897, -2545104.5898)

# IOGP Guidance Note 7-2, transverse Mercator: OSGB36 50 30 N, 0 30 E (from memory).  Its hand calculation rounds
# on the way: PROJ gives 577274.984, 69740.492.
OSGB_GEODETIC = (50.5, 0.5)
OSGB_GRID = (577274.99, 69740.50)

# IOGP Guidance Note 7-2, its other examples (from memory): Lambert with two parallels (NAD27 / Texas South Central, US survey
# feet), with one (JAD69 / Jamaica), Earth-centred WGS 84, three parameters to ED50, seven from WGS 72 to WGS 84.
TEXAS_GEODETIC = (28.5, -96.0)
TEXAS_GRID_SFT = (2963503.91, 254759.80)
JAMAICA_GEODETIC = (17 + 55 / 60 + 55.80 / 3600, -(76 + 56 / 60 + 37.26 / 3600))
JAMAICA_GRID = (255966.58, 142493.51)
WGS84_GEODETIC = (53 + 48 / 60 + 33.820 / 3600, 2 + 7 / 60 + 46.380 / 3600, 73.0)
WGS84_XYZ = (3771793.968, 140253.342, 5124304.349)
ED50_XYZ = (3771878.84, 140349.83, 5124421.30)
ED50_TO_WGS84 = (-84.87, -96.49, -116.95)
WGS72_XYZ = (3657660.66, 255768.55, 5201382.11)
WGS72_TO_WGS84_XYZ = (3657660.78, 255778.43, 5201387.75)
HALF_A_CENTIMETRE = 0.005

# NGA's test points of EGM96 (from memory): latitude, longitude, geoid above the ellipsoid.
EGM96_POINTS = [
    (38.6281550, 269.7791550, -31.628),
    (-14.6212170, 305.0211140, -2.969),
    (46.8743190, 102.4487290, -43.575),
    (-23.6174460, 133.8747120, 15.871),
    (38.6254730, 359.9995000, 50.066),
    (-0.4667440, 0.0023000, 17.329),
]
EGM96_15_MINUTES_M = 0.06  # how far the 15-minute grid lies from the full model at these points

# GeographicLib's GeoConvert and PROJ, UTM 30 at 53.45 N 2.24 W: convergence in degrees.
UTM30_POINT = (53.45, -2.24)
UTM30_CONVERGENCE_DEG = 0.61054927

# skyfield and Orekit on the element sets in data/, 2018-01-21 12:00 UTC, 53.45 N 2.24 W, 50 m, mask 10 degrees, GPS.
GPS_SKY_2018 = {"satellites": 8, "hdop": 1.0410, "vdop": 1.3075, "pdop": 1.6713, "tdop": 0.8453, "gdop": 1.8729}

# pynmeagps, a GST with its checksum.
GST_EXAMPLE = b"$GNGST,103607.00,0.8,0.012,0.008,45.0,0.01,0.01,0.02*4A\r\n"
