# SPDX-License-Identifier: Apache-2.0
# A directory that was there, and is its owner's alone, stays so when something is extracted into it.
set -e
mkdir -p t/d; echo open >t/d/f; chmod 755 t/d
$O archive t --to a.tar.zst --keep -y >out
D=into$PWD/t/d; mkdir -p "$D"; chmod 700 "$D"; echo secret >"$D/own"
$O extract a.tar.zst --into into >out
[ "$(stat -c %a "$D")" = 700 ] || { stat "$D"; exit 1; }
cmp "$D/f" t/d/f
# one that is made on the way has what the archive says
$O extract a.tar.zst --into other >out
[ "$(stat -c %a other$PWD/t/d)" = 755 ]
