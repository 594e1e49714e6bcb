/* Jars and lids. */
#define JAR_SIZE 250
#include "base.h"

static const int MAX_JARS = 4000; // on one pallet
const char *NAMES[] = {"small", "wide", "tall"};

class Pallet : Base
{
  const float WEIGHT = 12.5;
  ref array<string> Labels = {"salt", "oil"};

  void Fill(int count)
  {
    if (count > MAX_JARS) { count = MAX_JARS; }
    for (int i = 0; i < count; i++) { Add('j'); }
  }
};

static const struct Lid lids[] = {
  { .name = "tin", .price = 3 },
  { .name = "glass", .price = LID(5) },
};
