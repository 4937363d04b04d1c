/* SPDX-License-Identifier: Apache-2.0 */
/* Paths as strings, absolute ones without a slash at their end. */
#ifndef OLVIDO_PATH_H
#define OLVIDO_PATH_H

#include "olvido/text.h"

#include <stddef.h>

/* What `path` has behind `top`: "" or "/...". NULL: it is neither `top` nor below it. */
const char *olv_path_behind(const char *path, const char *top);
/* Cuts off the last name: of "/a/b" leaves "/a", of "/a" "/", of "a/b" "a", and of "a" "". */
void olv_path_cut(char *path);
/* The name: what is behind the last slash, or the whole path where there is none. */
const char *olv_path_name(const char *path);
/* The directory as bytes of the path: of "/a/b" 2, of "/a" 1, of "a/b" 1, of "a" 0. */
size_t olv_path_directory_len(const char *path);
/* The directory, "." of "a", as a string that the caller frees; NULL: no memory. */
char *olv_path_directory(const char *path);

/* Adds the path of what has this name in this directory. */
void olv_path_add(struct olv_text *out, const char *directory, const char *name);

#endif
