# SPDX-License-Identifier: Apache-2.0
# A file system that takes large attributes, with a file that has few of them and one that has many.
mkdir room
truncate -s 64M image
mkfs.ext4 -q -F -O ea_inode -b 4096 -m 0 image
mount -o loop image room
mkdir room/tides
echo few >room/tides/few.csv
echo many >room/tides/many.csv
python3 - <<'END'
import os
os.setxattr("room/tides/few.csv", "user.tide", b"low")
for i in range(90):
    os.setxattr("room/tides/many.csv", "user.tide%d" % i, bytes(60000))
END
