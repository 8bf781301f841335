#include <iostream>

#include "base/memory.h"
#include "cli/commands.h"
#include "exchange/transform_wisdom.h"

int main(int argc, char** argv) {
  lalometer::keep_freed_memory();
  const lalometer::TransformWisdom wisdom;
  return lalometer::run_cli(argc, argv, std::cout, std::cerr);
}
