/* SPDX-License-Identifier: Apache-2.0 */
/* Paths as strings (absolute ones have no trailing slash), and what they are without links. */
#ifndef OLVIDO_PATH_H
#define OLVIDO_PATH_H

#include "olvido/text.h"

#include <stddef.h>

/* The longest path in bytes that Olvido works with: a zip archive takes it, and so does a command line, where
 * it can be named. A system call takes less (PATH_MAX): olv_os_open_path goes by pieces. In a longer
 * directory not every name is within it. */
enum { OLV_LONGEST_PATH = 65535, OLV_LONGEST_DIRECTORY = OLV_LONGEST_PATH - 256 };

/* The part of `path` after `top`: "" or "/...". NULL if it is neither `top` nor below it. */
const char *olv_path_behind(const char *path, const char *top);
/* Cuts off the last name: "/a/b" becomes "/a", "/a" becomes "/", "a/b" becomes "a", and "a" becomes "". */
void olv_path_cut(char *path);
/* The name: the part after the last slash, or the whole path if it has none. */
const char *olv_path_name(const char *path);
/* The length of the directory part: 2 of "/a/b", 1 of "/a", 1 of "a/b", 0 of "a". */
size_t olv_path_directory_len(const char *path);
/* The directory ("." of "a"), which the caller frees; NULL: no memory. */
char *olv_path_directory(const char *path);
/* Appends the path of this name in this absolute directory in a form whose order of bytes puts what is in a
 * directory before it, and directories one after the other: no NUL, and no slash. */
void olv_path_add_bottom_up(struct olv_text *out, const char *directory, const char *name);

/* The path without links, like realpath (POSIX.1-2008), but of any length; where it is longer than a system
 * call takes, other users' links are not followed (ELOOP). The caller frees it; NULL with errno. */
char *olv_path_real(const char *path);
/* The working directory, likewise. */
char *olv_path_here(void);

/* Appends the path of this name in this directory. */
void olv_path_add(struct olv_text *out, const char *directory, const char *name);

#endif
