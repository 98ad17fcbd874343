// What the thread sanitizer is not told of: libraries that are not built with it, whose locks it
// does not see.

#ifdef __SANITIZE_THREAD__
extern "C" const char* __tsan_default_suppressions();
extern "C" const char* __tsan_default_suppressions() {
    return "race:libembree3.so.3\n"
           "called_from_lib:libembree3.so.3\n"
           "race:libtbb.so\n";
}
#endif
