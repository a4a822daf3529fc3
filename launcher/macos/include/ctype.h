// Kinds of characters (ISO C 7.4).
#pragma once

extern "C" int isdigit(int c);
