"""Files spoilt in the ways in which files are spoilt, and some that nobody would think of."""

from __future__ import annotations

import random
import re
from itertools import islice


def spoilt(data: bytes, rng: random.Random) -> bytes:
    """The bytes of a file with something done to them: cut, bits turned, parts left out, doubled, swapped, or
    numbers and words of the format replaced by odd ones."""
    made = bytearray(data)
    for _ in range(rng.randint(1, 4)):
        if not made:
            break
        at, end = sorted((rng.randrange(len(made) + 1), rng.randrange(len(made) + 1)))
        match rng.randrange(8):
            case 0:
                del made[at:]
            case 1:
                for _ in range(rng.randint(1, 20)):
                    made[rng.randrange(len(made))] ^= 1 << rng.randrange(8)
                    if not made:
                        break
            case 2:
                del made[at:end]
            case 3:
                made[at:at] = made[at : min(end, at + 2000)]
            case 4:
                made[at : at + 4] = rng.choice([b"\0\0\0\0", b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\x01\0\0\x80"])
            case 5:
                odd = rng.choice([b"NaN", b"1e999", b"-" * 9, b"9" * 400, b"[" * 400, b"<a>" * 300, b"\xff\xfe", b"\0"])
                made[at : min(at + rng.randint(0, 8), len(made))] = odd
            case 6:
                digits = [one.start() for one in islice(re.finditer(b"[0-9]", made), 4000)]
                for k in rng.sample(digits, min(len(digits), 6)):
                    made[k : k + 1] = rng.choice([b"9", b"-", b".", b"e9", b""]) or b" "
            case 7:
                made[:] = made[::-1] if rng.random() < 0.1 else rng.randbytes(rng.randint(0, 300)) + made[at:]
    return bytes(made)
