/* SPDX-License-Identifier: Apache-2.0 */
/* Directories in progress: who still needs the name, who still needs the descriptor. */
#ifndef OLV_SCAN_NODE_H
#define OLV_SCAN_NODE_H

#include "scan/scan.h"

#include <stdatomic.h>

struct node {
    struct olv_scan_dir dir; /* first member: the public part of a node */
    struct node *parent;     /* which this references */
    struct node *root;       /* borrowed from the chain of parents */
    atomic_uint references;  /* itself, children, pieces in progress */
    atomic_uint fd_users;    /* itself while reading, children not opened yet, pieces in progress */
    int fd;                  /* -1 while not open */
    int above;               /* of a root: the open directory that contains it, borrowed; -1: it has a path */
    bool opens_by_path;      /* the parent's descriptor was not kept for it */
    uint64_t device;         /* once it is open */
};

/* A root, or a child (which references its parent). NULL without memory. */
struct node *node_new(struct node *parent, const char *name, size_t len);
/* Releases a reference; the visitor leaves what has no references any more. */
void node_unref(struct node *node, const struct olv_scan_visitor *visitor, unsigned worker);
/* Opens the directory, and releases its claim on the parent's descriptor; -1 with errno. */
int node_open(struct node *node);
void node_use_fd(struct node *node);
void node_unuse_fd(struct node *node);

#endif
