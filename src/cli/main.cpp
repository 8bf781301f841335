#include <iostream>

#include "cli/commands.h"
#include "exchange/transform_wisdom.h"

int main(int argc, char** argv) {
  const lalometer::TransformWisdom wisdom;
  return lalometer::run_cli(argc, argv, std::cout, std::cerr);
}
