// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <map>
#include <memory>

#include "core/base/json_reader.h"
#include "core/match/duplicates.h"
#include "core/match/matcher.h"

namespace zt {

/// What one kind of comparing, or looking into, contents knows of a survey. A value that never changes; its
/// nodes are those of the survey it belongs to.
class ContentSeen {
public:
  virtual ~ContentSeen() = default;
};
using ContentSeenPtr = std::shared_ptr<const ContentSeen>;

/// What is known of the contents of one survey, by kind. Empty before anything was read.
class Contents {
public:
  bool any() const { return !seen_.empty(); }
  void set(std::string_view kind, ContentSeenPtr seen) { seen_[std::string(kind)] = std::move(seen); }
  /// nullptr where that kind has seen nothing.
  ContentSeenPtr of(std::string_view kind) const {
    const auto at = seen_.find(kind);
    return at == seen_.end() ? nullptr : at->second;
  }

private:
  std::map<std::string, ContentSeenPtr, std::less<>> seen_;
};

/// What a kind looks with. One thread at a time.
struct ContentSearch {
  FileSystemReader& files;
  const Folder& root;
  const FindContext& context;
  const MatchOptions& how;  ///< what is asked for: lengths, files, stop, pause
  bool readZeros = true;    ///< whether stored zeros are worth reading
  const Contents& before;   ///< what was known of this survey
  Contents& now;            ///< what the kinds before this one in the table know by now
  const EqualFound& found;  ///< told of each group of equal files as it is known
  ProgressSink* progress = nullptr;
  MatchResult& result;  ///< counts are added to it
};

/// The finds of one kind, and what it keeps to make them again faster.
struct ContentFinds {
  using Ptr = std::shared_ptr<const ContentFinds>;
  virtual ~ContentFinds() = default;
  std::vector<std::shared_ptr<const Find>> all;
};

/// What finds are made with.
struct ContentView {
  const FindContext& context;
  const Contents& contents;
  const KeeperOrder& order;
  /// Makes a find one that can be given out: prices its offers.
  std::function<std::shared_ptr<const Find>(Find)> made;
};

/// One way of comparing contents, or of looking into them: how it looks, what it keeps, how that is carried
/// over to a later survey, and which finds it makes. Stateless; any thread.
class ContentKind {
public:
  virtual ~ContentKind() = default;
  /// Its name in a job's file and in JSON.
  virtual std::string_view id() const = 0;
  /// The kinds of find that it makes.
  virtual std::vector<std::string> findKinds() const = 0;
  /// Reads. What was known before stays known, but for what is contradicted. A stopped one keeps what it
  /// knows.
  virtual ContentSeenPtr look(ContentSearch& search) const = 0;
  /// What of it still holds on a later survey of the place.
  virtual ContentSeenPtr carriedOver(const ContentSeen& seen, const SurveyTree& from,
                                     const SurveyTree& to) const = 0;
  virtual Json toJson(const ContentSeen& seen, const SurveyTree& tree) const = 0;
  /// From the object that `key` names in a list of `toJson`'s rows; what is no longer in the survey is left
  /// out.
  virtual ContentSeenPtr read(JsonReader& in, const char* key, const SurveyTree& tree) const = 0;
  /// As somebody said of the things. `unmarked`: what it gave where nobody said anything; nullptr the first
  /// time.
  virtual ContentFinds::Ptr finds(const ContentView& view, const Marks& marks,
                                  const ContentFinds::Ptr& unmarked) const = 0;
};

/// The kinds that are known, in the order in which they look: one may use what those before it know.
class ContentTable {
public:
  /// The later of two by one name counts.
  void add(std::shared_ptr<const ContentKind> kind);
  const std::vector<std::shared_ptr<const ContentKind>>& all() const { return all_; }

private:
  std::vector<std::shared_ptr<const ContentKind>> all_;
};

/// Equal files and whole folders of them; namesakes and where they first differ; disk images.
ContentTable builtInContents();

}  // namespace zt
