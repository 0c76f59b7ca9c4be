"""Labels as people type them off packs, banks, cells, adapters and boards, each with what it says.

Kind, chemistry, cells in series, watt-hours, outlets (volts, amperes); an ellipsis where it does not matter.
"""

from __future__ import annotations

from typing import Any

ANY: Any = ...
LABELS: tuple[tuple[str, str, Any, Any, Any, Any], ...] = (
    ("10000mAh", "bank", "li-ion", 1, 37, []),
    ("20000mAh 74Wh 5V 3A", "bank", ANY, 1, 74, [(5, 3)]),
    ("10000mAh 37Wh USB-C PD 5V 3A", "bank", ANY, 1, 37, [(5, 3)]),
    ("10000mAh power bank, DC out 12V 2A, USB 5V 2.1A", "bank", ANY, ANY, 37, [(12, 2), (5, 2.1)]),
    ("5200mAh 19.24Wh Output: DC5V/1A", "bank", ANY, 1, 19.24, [(5, 1)]),
    ("26800mAh PD 20V 3A, 9V 3A, 5V 3A", "bank", ANY, ANY, 99.16, [(20, 3), (9, 3), (5, 3)]),
    ("26800mAh 99.16Wh USB-A 5V/2.4A USB-C 5V/3A 9V/2A 12V/1.5A", "bank", ANY, 1, 99.16,
     [(5, 2.4), (5, 3), (9, 2), (12, 1.5)]),
    ("Output: 5V⎓2.4A 20000mAh (3.7V) 74Wh", "bank", "li-ion", 1, 74, [(5, 2.4)]),
    ("LiFePO4 83Wh 12V 6A / 9V 1A / USB 5V 2A", "bank", "lifepo4", 4, 83, [(12, 6), (9, 1), (5, 2)]),
    ("500Wh power station 12V 10A, USB-C 100W, AC 230V 300W", "bank", ANY, None, 500, [(12, 10)]),
    ("PD 65W 20000mAh 72Wh", "bank", "li-ion", 1, 72, []),
    ("18V 5.0Ah", "pack", "li-ion", 5, 90, []),
    ("20V MAX 4Ah 72Wh", "pack", "li-ion", 5, 72, []),
    ("20V 2.0Ah 40Wh 5S1P Li-Ion", "pack", "li-ion", 5, 40, []),
    ("12V 7.2Ah/20HR sealed", "pack", "lead-acid", 6, 86.4, []),
    ("lead acid 6V4Ah", "pack", "lead-acid", 3, 24, []),
    ("6V 4.5Ah/20HR", "pack", "lead-acid", 3, 27, []),
    ("12.8V 6Ah LiFePO4", "pack", "lifepo4", 4, 76.8, []),
    ("11.1V 3400mAh 37.7Wh Li-ion", "pack", "li-ion", 3, 37.7, []),
    ("7.4V 2S 5200mAh 38.5Wh", "pack", "li-ion", 2, 38.5, []),
    ("NiCd 7.2V 1700mAh", "pack", "nicd", 6, 12.24, []),
    ("4.8V 700mAh NiMH", "pack", "nimh", 4, 3.36, []),
    ("8x1.2V 2000mAh NiMH", "pack", "nimh", 8, 19.2, []),
    ("36V 10Ah ebike", "pack", "li-ion", 10, 360, []),
    ("AA 4x NiMH 2000mAh", "cells", "nimh", 4, 9.6, []),
    ("10440 3.7V 320mAh x2", "cells", "li-ion", 2, 2.37, []),
    ("2x4xAA 2400mAh", "cells", ANY, 8, ANY, []),
    ("3x18650 40Wh", "cells", "li-ion", 3, 40, []),
    ("CR2032", "cells", "lithium-manganese-dioxide", 1, ANY, []),
    ("CR123A x2 3V", "cells", "lithium-manganese-dioxide", 2, 9, []),
    ("6LR61 9V", "cells", "alkaline", 6, ANY, []),
    ("4x LR14", "cells", "alkaline", 4, ANY, []),
    ("LR6", "cells", "alkaline", 1, ANY, []),
    ("AA x 8", "cells", "alkaline", 8, ANY, []),
    ("AC ADAPTER INPUT 100-240V OUTPUT 12V DC 1.5A", "adapter", None, None, None, [(12, 1.5)]),
    ("INPUT: 100-240V~50/60Hz 0.5A OUTPUT: 12V=1.5A", "adapter", None, None, None, [(12, 1.5)]),
    ("3V DC 700mA adaptor", "adapter", None, None, None, [(3, 0.7)]),
    ("OUTPUT: 9V AC 1000mA", "adapter", None, None, None, [(9, 1)]),
    ("12VDC 2A", "adapter", None, None, None, [(12, 2)]),
    ("2A @ 5V charger", "adapter", None, None, None, [(5, 2)]),
    ("Input 12-24V, output USB 5V 3A", "adapter", None, None, None, [(5, 3)]),
    ("DC-DC step-down 4.5-28V in 0.8-20V out 3A max", "board", None, None, None, [(None, 3)]),
    ("buck module 5-32V input 1.25-26V output 3A", "board", None, None, None, [(None, 3)]),
    ("150W inverter 20V to 230V", "board", None, None, None, []),
)  # fmt: skip
