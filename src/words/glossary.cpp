// SPDX-License-Identifier: GPL-3.0-or-later
// The words of ours, explained.
#include <algorithm>

#include "words/words.h"

namespace zt {

namespace {

struct Entry {
  const char* word;
  const char* meaning;
};
constexpr Entry glossary[] = {
    {"balance", "Free now, plus what is planned, less the target: what is to spare, or short."},
    {"Level",
     "The drive as one upright column: what stands firm below, what may go above, free space on top. A "
     "target is a "
     "mark to which the strata must sink."},
    {"bench", "The drives at hand, side by side."},
    {"target",
     "Free bytes that must be reached. A drive can have several; the hardest one is written out in the "
     "balance."},
    {"headroom", "Free bytes a drive of its kind and use should keep at all times, with the reason."},
    {"visit",
     "One job on this drive, as the register of this machine remembers it: when, and what was free then."},
    {"register", "What earlier visits left: drives, their figures by date, and what is still held on them."},
    {"survey", "One measurement of a drive or folder at one instant. It is never changed afterwards."},
    {"statement",
     "Lines that add up to the capacity to the byte. What cannot be explained is a line of its own."},
    {"changed meanwhile", "Bytes that others wrote or freed on the drive while it was measured."},
    {"field", "All files by age and by size; the area of a block is what they occupy."},
    {"stratum", "What is of one standing, as a layer of the Level."},
    {"standing", "How freely something may go: bedrock, kept, unjudged, owner's call, rebuilds, spent."},
    {"bedrock", "The system needs it. It is shown, and locked."},
    {"kept",
     "Records, keys and settings, or what someone said keep of. A mark locks it until it is taken away."},
    {"unjudged", "Nobody has looked at it yet. No proposal takes it by itself."},
    {"owner's call",
     "Its owner may move it or let it go. By itself a proposal takes only ways back that are known: previous "
     "systems and the like."},
    {"rebuilds", "It comes back by itself, at the cost of time or bandwidth."},
    {"spent", "It serves nothing any more."},
    {"ladder",
     "Rungs from nothing to regret up to your own decisions, each as wide as what it adds. What others have "
     "to do "
     "counts as later, and at most."},
    {"find", "Something worth judging, with evidence, gain and consequence."},
    {"offer", "One way to deal with a find: a kind of step, with what it gives and costs."},
    {"mark",
     "What a person said of a thing and of all beneath it: keep, may go, not now. The nearest mark wins."},
    {"decision", "Something personal or unjudged that only a person may put on the plan."},
    {"gain",
     "Bytes a step gives back. Sure: the drive's own free counter will rise by it. At most: others may hold "
     "it too."},
    {"regret",
     "The worst thing one may be sorry for after a step. A proposal stays under a ceiling of regret."},
    {"dormant folder", "A largest folder in which nothing was modified for a year."},
    {"plan", "The chosen steps in their order. Discards free bytes at once; holds only set aside."},
    {"hold", "Set aside on the same drive. It frees nothing until it is released, and can be put back."},
    {"consent",
     "Given once, before a run, for this very plan, one tick for each kind of regret, on a page that names "
     "what is lost. What is not ticked waits."},
    {"rule",
     "What is meant of many things: those older than so long, all but the newest few, all here but one."},
    {"run", "One carrying-out of a plan. Every change is in the journal before and after it happens."},
    {"occupied", "The blocks a file takes on the drive. Not its length: holes take nothing."},
    {"exclusive", "What comes free if this alone goes. Files with further names elsewhere do not count."},
    {"proof", "Measured again: before, promised, actual by the drive's own counter, and why they differ."},
    {"question",
     "Conditions separated by commas: over 1 GB, under 20 MB, older 1 y, newer 30 d, video, spent, of "
     "warden, in "
     "srv/recordings, files, folders, not before any of them; anything else is part of a name, in quotes "
     "taken "
     "literally."}};

bool same(std::string_view a, std::string_view b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [](unsigned char x, unsigned char y) { return std::tolower(x) == std::tolower(y); });
}

}  // namespace

std::string DriveWords::explain(std::string_view word) const {
  for (const Entry& entry : glossary)
    if (same(entry.word, word)) return t(entry.meaning);
  return {};
}

std::vector<std::string> DriveWords::known() {
  std::vector<std::string> words;
  for (const Entry& entry : glossary) words.emplace_back(entry.word);
  return words;
}

}  // namespace zt
