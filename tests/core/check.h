// A few lines to count checks and say where one failed.
#pragma once
#include <cstdio>
#include <functional>
#include <string>
#include <utility>
#include <vector>

namespace check {

struct Counts {
  long passed = 0;
  long failed = 0;
};

inline Counts& counts() {
  static Counts all;
  return all;
}

inline std::vector<std::pair<std::string, std::function<void()>>>& tests() {
  static std::vector<std::pair<std::string, std::function<void()>>> all;
  return all;
}

struct Test {
  Test(const char* name, std::function<void()> body) {
    tests().emplace_back(name, std::move(body));
  }
};

inline void note(bool good, const char* file, int line, const char* what) {
  if (good) {
    ++counts().passed;
  } else {
    ++counts().failed;
    std::printf("FAILED %s:%d: %s\n", file, line, what);
  }
}

}  // namespace check

#define CHECK_JOIN2(a, b) a##b
#define CHECK_JOIN(a, b) CHECK_JOIN2(a, b)
#define TEST_AT(name, number)                                                       \
  static void CHECK_JOIN(body_, number)();                                           \
  static check::Test CHECK_JOIN(test_, number)(name, CHECK_JOIN(body_, number));     \
  static void CHECK_JOIN(body_, number)()
#define TEST(name) TEST_AT(name, __COUNTER__)
#define CHECK(condition) check::note((condition), __FILE__, __LINE__, #condition)
#define CHECK_THROWS(kind, expression)                                     \
  do {                                                                     \
    bool thrown = false;                                                   \
    try {                                                                  \
      expression;                                                          \
    } catch (const kind&) {                                                \
      thrown = true;                                                       \
    }                                                                      \
    check::note(thrown, __FILE__, __LINE__, #expression " throws " #kind); \
  } while (false)
