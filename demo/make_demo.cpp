#include <iostream>
#include <string_view>

#include "workbench/practice/demo_book.h"

int main(int argc, char** argv) {
  const bool kiosk_only = argc == 3 && std::string_view(argv[2]) == "kiosk";
  if (argc != 2 && !kiosk_only) {
    std::cerr << "usage: make_demo BOOK [kiosk]\n";
    return 2;
  }
  const auto made = lalometer::make_demo_book(
      argv[1], kiosk_only ? lalometer::DemoExtent::kKioskOnly : lalometer::DemoExtent::kWhole);
  if (!made) std::cerr << made.error().text() << '\n';
  return made ? 0 : 3;
}
