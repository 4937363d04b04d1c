/* SPDX-License-Identifier: Apache-2.0 */
/* What is known of files, found by their file system and inode. */
#ifndef OLV_BASE_INODES_H
#define OLV_BASE_INODES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* The first member of each thing that is known. */
struct inode {
    uint64_t system, number; /* of the file system: its device, or its mount */
};

struct inodes {
    void *root; /* a tree of tsearch (POSIX.1-2017); what is in it belongs to the caller */
};

/* What is known of one; NULL: nothing. */
void *inodes_find(const struct inodes *inodes, uint64_t system, uint64_t number);
/* Adds one that is not in it. False without memory. */
bool inodes_add(struct inodes *inodes, struct inode *known);
/* Frees the tree. What is in it must still be there. */
void inodes_free(struct inodes *inodes);

#endif
