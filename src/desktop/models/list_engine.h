// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QThread>
#include <memory>
#include <stop_token>

#include "core/query/answer.h"

namespace zt::desktop {

/// Entries that answer a question, as far as they are in order already. Never changes once it is given out.
struct ListAnswer {
  ContextPtr context;
  std::vector<NodeId> rows;
  std::size_t inOrder = 0;  ///< so many rows at the front are in order
};

/// What several entries come to together.
struct ListSums {
  std::size_t entries = 0;
  Bytes occupied = 0;
  GainBounds freed;
};

/// Looks entries up, sorts and sums them on a thread of its own: first what fits on a screen, then all. A new
/// question ends the one before. Public members belong to the GUI thread.
class ListEngine final : public QObject {
  Q_OBJECT
public:
  explicit ListEngine(QObject* parent = nullptr);
  ~ListEngine() override;

  struct Request {
    ContextPtr context;
    Question question;
    std::shared_ptr<const std::vector<NodeId>> among;  ///< only these; nullptr: the whole survey
    ListColumn column = ListColumn::occupied;
    bool descending = true;
  };
  void ask(Request request);
  /// Sums entries; the answer comes by `summed`.
  void sum(ContextPtr context, std::shared_ptr<const std::vector<NodeId>> nodes);
  bool busy() const { return waiting_ > 0; }

Q_SIGNALS:
  void answered(const std::shared_ptr<const zt::desktop::ListAnswer>& answer);
  void summed(const zt::desktop::ListSums& sums);

private:
  void work(const Request& request, const std::stop_token& stop, quint64 number);
  void give(std::shared_ptr<const ListAnswer> answer, quint64 number);

  QThread thread_;
  QObject* worker_;
  QThread sumThread_;  ///< sums take their time; no question waits for them
  QObject* summer_;
  std::stop_source stop_;
  quint64 number_ = 0;  ///< of the latest question
  quint64 sumNumber_ = 0;
  int waiting_ = 0;
};

}  // namespace zt::desktop
