/* SPDX-License-Identifier: Apache-2.0 */
#include "support/systems.h"

#include <stdio.h>
#include <sys/mount.h>
#include <unistd.h>

/* In the middle of the mounted file system. */
static const char stage[] =
    "set -u; top=$PWD; export O\n"
    "fail() { echo \"$1\"; cat $top/out $top/err; exit 1; }\n"
    "status() { want=$1; shift; got=0; \"$@\" >$top/out 2>$top/err || got=$?\n"
    "  [ $got = $want ] || fail \"status $got, not $want: $*\"; }\n"
    "says() { grep -qF -- \"$1\" $top/out $top/err || fail \"nothing says: $1\"; }\n"
    "image() { mkdir -p m up work; case $1 in\n"
    "    tmpfs) mount -t tmpfs x m ;;\n"
    "    overlay) mount -t tmpfs x up; mkdir -p up/l up/u up/w; echo low >up/l/lower\n"
    "      mount -t overlay -o lowerdir=$PWD/up/l,upperdir=$PWD/up/u,workdir=$PWD/up/w x m ;;\n"
    "    *) truncate -s 400M image; mkfs.$1 -q image >/dev/null && mount -o loop image m ;; esac; cd m; }\n";

int systems_teardown(void **state)
{
    const struct sandbox *s = *state;
    umount2(in(s, "m"), MNT_DETACH);
    umount2(in(s, "up"), MNT_DETACH);
    return sandbox_teardown(state);
}

void on_system(const struct sandbox *s, const char *type, const char *story)
{
    char script[6000];
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    snprintf(script, sizeof script, "image %s || fail 'cannot make it'\n%s", type, story);
    shell_staged(s, stage, script);
}
