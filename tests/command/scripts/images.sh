# SPDX-License-Identifier: Apache-2.0
# Images with a file system of their own, for scripts that need some: image NAME mounts one at ./NAME.
image() {
    mkdir -p "$1" images
    truncate -s 16M "images/$1"
    mkfs.ext4 -q -F -m 0 -E lazy_itable_init=0,lazy_journal_init=0 "images/$1"
    mount -o loop "images/$1" "$1"
}
