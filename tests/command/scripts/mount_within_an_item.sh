# SPDX-License-Identifier: Apache-2.0
# What is mounted within an item of the trash is not the item's: clearing stops before it.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
due_directory t/d/m/a.csv
status 0 $O enforce --yes
item=$(ls -d data/Trash/files/*/m)
rm $item/a.csv
mount -t tmpfs none $item
echo theirs >$item/theirs.csv
status 1 $O trash clear --yes --count 1
is_there=yes; grep -q theirs $item/theirs.csv || is_there=no
umount $item
[ $is_there = yes ] || fail 'it went through a mount'
grep -q "1 failed" out || fail 'it is not told'
status 0 $O trash clear --yes --count 1
[ -z "$(ls data/Trash/files)" ] || fail 'it does not go at all'
