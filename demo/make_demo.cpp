#include <iostream>

#include "workbench/demo_book.h"

int main(int argc, char** argv) {
  if (argc != 2) {
    std::cerr << "usage: make_demo BOOK\n";
    return 2;
  }
  const auto made = lalometer::make_demo_book(argv[1]);
  if (!made) std::cerr << made.error().text() << '\n';
  return made ? 0 : 3;
}
