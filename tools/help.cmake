# SPDX-License-Identifier: Apache-2.0
# The help of each command, one file each in src/cli/help/, as a table in C: cmake -DOUT=FILE -DIN=DIR -P this.
file(GLOB texts ${IN}/*.txt)
set(out "#include \"cli/help.h\"\n\nconst struct cli_help_text cli_help_texts[] = {\n")
foreach(text ${texts})
  get_filename_component(name ${text} NAME_WE)
  file(READ ${text} words)
  string(REPLACE "\\" "\\\\" words "${words}")
  string(REPLACE "\"" "\\\"" words "${words}")
  string(REPLACE "\n" "\\n\"\n     \"" words "${words}")
  string(APPEND out "    {\"${name}\", \"${words}\"},\n")
endforeach()
file(WRITE ${OUT} "${out}    {NULL, NULL},\n};\n")
