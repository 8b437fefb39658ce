// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <set>

#include "desktop/session/job_view.h"

class QCheckBox;
class QLabel;
class QVBoxLayout;

namespace zt::desktop {

/// What is to be agreed to before a run, by regret: one tick a group, and the lines of what is dear written
/// out, in the words of what is lost. What only sets aside needs no tick. GUI thread.
class ConsentFace final : public QWidget {
  Q_OBJECT
public:
  explicit ConsentFace(QWidget* parent = nullptr);
  /// Ticks belong to one consent: another token takes them away.
  void show(const JobView& view);
  /// Only these lines are asked about, and the others wait; none given: all.
  void limitTo(std::set<std::string> only) { only_ = std::move(only); }
  /// Lines of groups that nobody has ticked, and those that are not asked about.
  std::set<std::string> waiting() const;
  /// How many groups wait.
  int groupsWaiting() const;
  /// Whether anything was agreed to, or nothing needs to be.
  bool anyAgreed() const;
  /// The box to begin with; nullptr where none is needed.
  QWidget* first() const;
  void clearTicks();
  /// By Tab one goes from tick to tick, and from the last to this.
  void setNext(QWidget* next) { next_ = next; }

Q_SIGNALS:
  void ticked();

private:
  struct Group {
    Regret regret = Regret::none;
    bool asks = true;  ///< false: it only sets aside
    std::vector<std::size_t> lines;
    Bytes bytes = 0;
    std::uint64_t things = 0;
    QCheckBox* tick = nullptr;
    bool dear = false;
  };
  void build(const JobView& view);
  void addGroup(const JobView& view, Group& group);
  void addLines(const JobView& view, const Group& group);
  void addOrder(const JobView& view);
  QLabel* text(const QString& said, bool strong, bool red, bool quiet);

  QVBoxLayout* rows_ = nullptr;
  QWidget* body_ = nullptr;
  QWidget* next_ = nullptr;
  std::vector<Group> groups_;
  std::vector<std::vector<std::string>> ids_;  ///< of each group's lines
  std::set<std::string> only_;
  std::set<std::string> others_;  ///< that are not asked about
  /// What is shown: by these it is made anew.
  struct Shown {
    std::string token;
    std::vector<bool> enabled;
    std::vector<Bytes> sure;
    std::set<std::string> only;
    bool dark = false;
    bool operator==(const Shown&) const = default;
  };
  Shown shown_;
};

}  // namespace zt::desktop
