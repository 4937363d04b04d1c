/* SPDX-License-Identifier: Apache-2.0 */
/* Directories under way: who still needs the name, who still needs the descriptor. */
#ifndef OLV_SCAN_NODE_H
#define OLV_SCAN_NODE_H

#include "scan/scan.h"

#include <stdatomic.h>

struct node {
    struct olv_scan_dir dir; /* first member: a node is its public face */
    struct node *parent;     /* holds one reference to it */
    struct node *root;       /* borrowed from the chain of parents */
    atomic_uint references;  /* ourselves, children, pieces under way */
    atomic_uint fd_users;    /* ourselves while reading, children not opened yet, pieces under way */
    int fd;                  /* -1 while not open */
    int above;               /* of a root: the open directory that it is in, borrowed; -1: it has a path */
    bool opens_by_path;      /* the parent's descriptor was not kept for us */
};

/* A root, or a child (which takes a reference to its parent). NULL without memory. */
struct node *node_new(struct node *parent, const char *name, size_t len);
/* Gives a reference back; the visitor leaves what nobody refers to any more. */
void node_unref(struct node *node, const struct olv_scan_visitor *visitor, unsigned worker);
/* Opens the directory and gives back its claim on the parent's descriptor; -1 with errno. */
int node_open(struct node *node);
void node_use_fd(struct node *node);
void node_unuse_fd(struct node *node);

#endif
