/* SPDX-License-Identifier: Apache-2.0 */
/* A lookup of known files by file system and inode. */
#ifndef OLV_BASE_INODES_H
#define OLV_BASE_INODES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* The first member of each known file's struct. */
struct inode {
    uint64_t system, number; /* the file system: its device, or its mount */
};

struct inodes {
    void *root; /* a tree of tsearch (POSIX.1-2017); the caller owns its contents */
};

/* What is known of one; NULL: nothing. */
void *inodes_find(const struct inodes *inodes, uint64_t system, uint64_t number);
/* Adds one that is not in it yet. False without memory. */
bool inodes_add(struct inodes *inodes, struct inode *known);
/* Frees the tree. Its contents must still exist. */
void inodes_free(struct inodes *inodes);

#endif
