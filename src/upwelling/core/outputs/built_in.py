"""The outputs that ship with the program.

Mid grey at a tenth of an SDR peak is common practice, no source; 26 cd/m² for an 18 % grey card and 203 cd/m² for reference white in HDR are
ITU-R BT.2408-7, table 1. Surrounds: 5 cd/m² round a reference monitor is ITU-R BT.2100-2, table 3; 64 lux on walls that reflect 20 % give
4.1 cd/m² (IEC 61966-2-1, reference viewing conditions); 0.05 cd/m² in a cinema is common practice, no source.
"""

from __future__ import annotations

from upwelling.core.outputs.base import Output

_HDR_SOURCE = "ITU-R BT.2100-2; BT.2408-7, table 1"
_HDR_WHITE, _HDR_GREY = 203.0, 26.0

BUILT_IN = (
    Output("BT.709 BT.1886", "BT.1886", "BT.709", 100.0, 10.0, 100.0, "dim", 5.0,
           "HD television on a studio monitor.", "ITU-R BT.709-6; BT.1886; BT.2035 (100 cd/m²)", default_range="legal"),
    Output("sRGB", "sRGB", "BT.709", 80.0, 8.0, 80.0, "average", 4.1,
           "Web and office screens.", "IEC 61966-2-1:1999 (80 cd/m²)", default_depth=8),
    Output("P3-D65 gamma 2.6", "gamma 2.6", "P3-D65", 48.0, 4.8, 48.0, "dark", 0.05,
           "Cinema projection with a D65 white.", "SMPTE RP 431-2:2011 (48 cd/m², gamma 2.6); EG 432-1:2010", default_depth=12),
    Output("Display P3", "sRGB", "P3-D65", 100.0, 10.0, 100.0, "average", 4.1,
           "Wide-primaries screens of phones and computers.", "SMPTE EG 432-1:2010 primaries; IEC 61966-2-1 curve", default_depth=8),
    Output("BT.2100 PQ 1000", "PQ", "BT.2020", 1000.0, _HDR_GREY, _HDR_WHITE, "dim", 5.0,
           "HDR on a 1000 cd/m² monitor.", _HDR_SOURCE),
    Output("BT.2100 PQ 1000, P3", "PQ", "BT.2020", 1000.0, _HDR_GREY, _HDR_WHITE, "dim", 5.0,
           "HDR on a 1000 cd/m² monitor; BT.2020 signal that holds P3 colours only.", _HDR_SOURCE, limit_name="P3-D65"),
    Output("BT.2100 PQ 4000", "PQ", "BT.2020", 4000.0, _HDR_GREY, _HDR_WHITE, "dim", 5.0,
           "HDR on a 4000 cd/m² monitor.", _HDR_SOURCE),
    Output("BT.2100 PQ 4000, P3", "PQ", "BT.2020", 4000.0, _HDR_GREY, _HDR_WHITE, "dim", 5.0,
           "HDR on a 4000 cd/m² monitor; BT.2020 signal that holds P3 colours only.", _HDR_SOURCE, limit_name="P3-D65"),
    Output("BT.2100 HLG 1000", "HLG", "BT.2020", 1000.0, _HDR_GREY, _HDR_WHITE, "dim", 5.0,
           "HDR broadcast; system gamma 1.2 of a 1000 cd/m² monitor.", _HDR_SOURCE, default_range="legal"),
)
