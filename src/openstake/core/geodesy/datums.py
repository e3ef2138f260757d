"""The three kinds of datum: realised by GNSS, classical, assumed; and whether anybody has said how positions come into one.

Receivers, casters and RTCM speak the frames that GNSS realises.  A classical datum (on the ellipsoids of Bessel, Airy, Clarke,
Krassowsky, Everest ...) lies tens to hundreds of metres from them, on its own ellipsoid: between the two a named operation must
stand, else every number is wrong and looks right.
"""

from __future__ import annotations

import re
from enum import StrEnum


class DatumKind(StrEnum):
    """`gnss`: positions are in it as they come; `classical`: an operation must be named; `assumed`: a fit is the only bridge."""

    GNSS = "gnss"
    CLASSICAL = "classical"
    ASSUMED = "assumed"


# Each realisation of these is one.  Names of the EPSG dataset.
_FAMILIES = (
    "European Terrestrial Reference Frame",
    "European Terrestrial Reference System 1989",
    "IGS",
    "International Terrestrial Reference Frame",
    "NAD83 ",
    "North American Datum of 1983 (CSRS)",
    "Parametry Zemli 1990",
    "Reseau Geodesique Francais 1993",
    "SIRGAS-Chile realization",
    "World Geodetic System 1984",
)
# Realised by GNSS, after the EPSG dataset: what leads to WGS 84 is null or moves by less than 5 m (a test holds each to it).
_REALISED_BY_GNSS = frozenset(
    {
        "Autonomous Regions of Portugal 2008",
        "BH_ETRS89",
        "Bermuda 2000",
        "Bhutan National Geodetic Datum",
        "Brenner Base Tunnel 2000",
        "Bulgaria Geodetic System 2005",
        "CR-SIRGAS",
        "Cayman Islands Geodetic Datum 2011",
        "China 2000",
        "Costa Rica 2005",
        "Croatian Terrestrial Reference System",
        "Datum Geodesi Nasional 1995",
        "ETRF2000 Poland",
        "ETRS89/DREF91 Realization 2016",
        "Estonia 1992",
        "Estonia 1997",
        "Fehmarnbelt Datum 2010",
        "Geocentric Datum Brunei Darussalam 2009",
        "Geocentric Datum of Australia 1994",
        "Geocentric Datum of Australia 2020",
        "Geodetic Datum of Malaysia 2000",
        "Geodezicheskaya Sistema Koordinat 2011",
        "Greenland 1996",
        "Hartebeesthoek94",
        "IRENET95",
        "Iraqi Geospatial Reference System",
        "Islands Net 1993",
        "Islands Net 2004",
        "Islands Net 2016",
        "Istituto Geografico Militaire 1995",
        "Jamaica 2001",
        "Japanese Geodetic Datum 2000",
        "Japanese Geodetic Datum 2011",
        "Kingdom of Saudi Arabia Geodetic Reference Frame 2017",
        "Korean Geodetic Datum 2002",
        "Kosovo Reference System 2001",
        "Kyrgyzstan Geodetic Datum 2006",
        "Latvian coordinate system 2020",
        "Latvian geodetic coordinate system 1992",
        "Lithuania 1994 (ETRS89)",
        "Lyon Turin Ferroviaire 2004",
        "MOLDREF99",
        "MOMRA Terrestrial Reference Frame 2000",
        "Marco Geocentrico Nacional de Referencia",
        "Marco Geocentrico Nacional de Referencia 2018",
        "Marco Geodesico Nacional de Bolivia",
        "Mauritania 1999",
        "Mayotte Geodetic Reference Frame 2023",
        "Mexico ITRF2008",
        "Mexico ITRF92",
        "Moznet (ITRF94)",
        "Nakhl-e Ghanem",
        "New Zealand Geodetic Datum 2000",
        "North American Datum 1983",
        "Oman National Geodetic Datum 2014",
        "Oman National Geodetic Datum 2017",
        "Papua New Guinea Geodetic Datum 1994",
        "Peru96",
        "Pitcairn 2006",
        "Posiciones Geodesicas Argentinas 1994",
        "Posiciones Geodesicas Argentinas 1998",
        "Posiciones Geodesicas Argentinas 2007",
        "Red Geodesica Para Mineria en Chile",
        "Red Geodesica Venezolana",
        "Red Geodesica de Canarias 1995",
        "Reference System de Angola 2013",
        "Reseau Geodesique Francais Guyane 1995",
        "Reseau Geodesique de Mayotte 2004",
        "Reseau Geodesique de Nouvelle Caledonie 2015",
        "Reseau Geodesique de Nouvelle Caledonie 91-93",
        "Reseau Geodesique de Saint Pierre et Miquelon 2006",
        "Reseau Geodesique de Wallis et Futuna 1996",
        "Reseau Geodesique de la Polynesie Francaise",
        "Reseau Geodesique de la RDC 2005",
        "Reseau Geodesique de la Reunion 1992",
        "Reseau Geodesique des Antilles Francaises 2009",
        "Reseau Geodesique des Terres Australes et Antarctiques Francaises 2007",
        "Reseau de Reference des Antilles Francaises 1991",
        "Rete Dinamica Nazionale 2008",
        "Ross Sea Region Geodetic Datum 2000",
        "SIRGAS-ROU98",
        "SVY21",
        "SWEREF99",
        "Serbian Spatial Reference System 2000",
        "Sistem Referensi Geospasial Indonesia 2013",
        "Sistema de Referencia Geocentrico para America del Sur 1995",
        "Sistema de Referencia Geocentrico para las AmericaS 2000",
        "Slovenia Geodetic Datum 1996",
        "Sonatrach Reference Frame 2020",
        "St. Helena Geodetic Datum 2015",
        "St. Helena Tritan",
        "Taiwan Datum 1997",
        "Tonga Geodetic Datum 2005",
        "Turkish National Reference Frame",
        "Yemen National Geodetic Network 1996",
    }
)
# What is called so is one in spite of its family's name: published with distortions on purpose, for one line of rail or road.
_NOT = "Intermediate Reference Frame"
# Ellipsoids of the frames that GNSS realises: a system of one's own on one of these may be meant in such a frame.
GNSS_ELLIPSOIDS = ("GRS 1980", "WGS 84", "CGCS2000", "GSK-2011", "PZ-90")


def datum_kind(datum: str, ellipsoid: str) -> DatumKind:
    """Return the kind of a datum by its name and that of its ellipsoid in the EPSG dataset, where a name may be two datums'.

    What the dataset does not know as realised by GNSS is classical.
    """
    name = re.sub(r" ensemble$", "", datum.strip())
    if _NOT in name or ellipsoid not in GNSS_ELLIPSOIDS:
        return DatumKind.CLASSICAL
    return DatumKind.GNSS if name in _REALISED_BY_GNSS or name.startswith(_FAMILIES) else DatumKind.CLASSICAL
