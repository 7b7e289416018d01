#include "check.h"

// Runs the tests whose names hold the first argument, or all.
int main(int count, char** arguments) {
  const std::string wanted = count > 1 ? arguments[1] : "";
  for (const auto& test : check::tests()) {
    if (test.first.find(wanted) == std::string::npos) continue;
    const long failed = check::counts().failed;
    test.second();
    if (check::counts().failed > failed) std::printf("  in: %s\n", test.first.c_str());
  }
  std::printf("core: %ld passed, %ld failed\n", check::counts().passed, check::counts().failed);
  return check::counts().failed == 0 ? 0 : 1;
}
