# One place for the warnings of our own code; libraries' headers are system headers and exempt.
add_library(lalometer_warnings INTERFACE)
target_compile_options(lalometer_warnings INTERFACE
  -Wall -Wextra -Wpedantic -Wconversion -Wsign-conversion -Wshadow -Wold-style-cast
  -Wuseless-cast -Wdouble-promotion -Wnon-virtual-dtor -Woverloaded-virtual -Werror)
if(LALOMETER_SANITIZE)
  # float-cast-overflow is not part of undefined; it catches NaN or huge values cast to int. What the
  # address sanitizer sees as well (null, object-size) or asks at every access (alignment, vptr) is
  # left out: it takes half of the compiler's time.
  target_compile_options(lalometer_warnings INTERFACE
    -fsanitize=address,signed-integer-overflow,shift,bounds,integer-divide-by-zero,float-cast-overflow
    -fsanitize=return,unreachable,enum,bool,vla-bound -fno-sanitize-recover=all
    -fno-omit-frame-pointer)
  target_link_options(lalometer_warnings INTERFACE -fsanitize=address,undefined)
endif()
if(LALOMETER_SANITIZE_THREADS)
  target_compile_options(lalometer_warnings INTERFACE -fsanitize=thread -fno-omit-frame-pointer)
  target_link_options(lalometer_warnings INTERFACE -fsanitize=thread)
endif()

# lalometer_room(name LINKS ... SOURCES ...): one room of the house as a static library.
# LINKS are visible to rooms above, HIDDEN are not.
function(lalometer_room name)
  cmake_parse_arguments(ROOM "" "" "LINKS;HIDDEN;SOURCES" ${ARGN})
  add_library(lalometer_${name} STATIC ${ROOM_SOURCES})
  add_library(lalometer::${name} ALIAS lalometer_${name})
  target_include_directories(lalometer_${name} PUBLIC ${PROJECT_SOURCE_DIR}/src)
  target_link_libraries(lalometer_${name}
    PUBLIC ${ROOM_LINKS} PRIVATE ${ROOM_HIDDEN} lalometer_warnings)
endfunction()
