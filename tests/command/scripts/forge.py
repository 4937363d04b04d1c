# SPDX-License-Identifier: Apache-2.0
"""forge.py WHAT FROM TO: a copy of an archive in which r.csv has another mode, owner, name or other contents."""
import gzip
import sys


def forge(what, plain):
    plain = bytearray(plain)
    at = 0
    while at < len(plain) and not (plain[at + 257 : at + 263] == b"ustar\0" and plain[at + 156] == ord("0") and plain[at : at + 100].split(b"\0")[0].endswith(b"r.csv")):
        at += 512
    if what == "mode":
        plain[at + 100 : at + 108] = b"0006755\0"
    elif what == "owner":
        plain[at + 108 : at + 116] = b"0010222\0"
    elif what == "name":
        name = plain[at : at + 100].index(b"r.csv\0")
        plain[at + name] = ord("q")
    elif what == "contents":
        data = plain.index(b"tide ", at + 512)
        plain[data : data + 4] = b"TIDE"
    plain[at + 148 : at + 156] = b" " * 8
    plain[at + 148 : at + 156] = b"%06o\0 " % sum(plain[at : at + 512])
    return bytes(plain)


what, source, target = sys.argv[1:]
with open(source, "rb") as file:
    packed = file.read()
if packed[:2] == b"\x1f\x8b":
    forged = gzip.compress(forge(what, gzip.decompress(packed)), mtime=0)
else:
    forged = forge(what, packed)
with open(target, "wb") as file:
    file.write(forged)
