# SPDX-License-Identifier: Apache-2.0
# Files in a directory that was recovered are spared like the directory, whatever a rule about files says.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
due_directory t/d/a.csv t/d/sub/b.csv
status 0 $O enforce --yes
[ ! -e t/d ] || fail 'it is not discarded'
status 0 $O recover t/d
for act in discard delete compress 'archive, depot: cold-room'; do
    policy "$act" 'kind = file'
    status 0 $O enforce --yes
    [ -e t/d/a.csv ] && [ -e t/d/sub/b.csv ] || fail "$act"
    grep -q 'spared: recovered' out || fail "$act: nobody says why"
done
