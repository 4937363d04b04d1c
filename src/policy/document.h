/* SPDX-License-Identifier: Apache-2.0 */
/* A YAML file with positions: its bytes, its tree, and where each node is in the bytes. */
#ifndef OLV_POLICY_DOCUMENT_H
#define OLV_POLICY_DOCUMENT_H

#include "policy/diagnostic.h"

#include <libfyaml.h>

struct document {
    struct policy_text source; /* owned */
    struct fy_document *tree;
};

/* Opens a policy; a pipe does not block. -1 with `err`. */
int document_open(const char *path, struct olv_error *err);
/* Reads and parses. False with OLV_POLICY after diagnostics, or with another code if the file cannot be read.
 */
bool document_read(struct document *doc, int fd, const char *path, struct olv_diagnostics *list,
                   struct olv_error *err);
void document_close(struct document *doc);

/* The position of a node (of a mapping or list: of its first scalar). */
struct position node_position(struct fy_node *node);
/* The position of byte `offset` of a scalar's value, through its quotes, folds and escapes. */
struct position value_position(const struct document *doc, struct fy_node *scalar, size_t offset, size_t len);

#endif
