// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/finding_card.h"
#include "app/theme.h"
#include "app/widgets.h"
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>

namespace tess {

FindingCard::FindingCard(std::vector<Problem> alike, std::size_t at)
    : m_alike(std::move(alike)), m_at(at < m_alike.size() ? at : 0) {
  setObjectName("card");
  auto* v = new QVBoxLayout(this);
  v->setContentsMargins(9, 6, 9, 6);
  v->setSpacing(2);
  v->addWidget(m_what = styledLabel({}, shown().severity == Severity::Note ? "" : "problem"));
  v->addWidget(m_why = styledLabel({}, "small"));
  auto* acts = new QHBoxLayout;
  acts->setSpacing(8);
  acts->addWidget(m_show = flushLink(tr("show")));
  acts->addWidget(m_fix = linkButton({}));
  acts->addStretch();
  if (m_alike.size() > 1) {
    auto* back = linkButton("‹");
    m_next = linkButton("›");
    back->setAccessibleName(tr("The one before"));
    m_next->setAccessibleName(tr("The next one"));
    acts->addWidget(back);
    acts->addWidget(m_which = styledLabel({}, "small", false));
    acts->addWidget(m_next);
    connect(back, &QToolButton::clicked, this, [this] { leaf(m_alike.size() - 1); });
    connect(m_next, &QToolButton::clicked, this, [this] { leaf(1); });
  }
  v->addLayout(acts);
  connect(m_show, &QToolButton::clicked, this, [this] { emit showWanted(Problem(shown())); });
  connect(m_fix, &QToolButton::clicked, this, [this] { emit fixWanted(Problem(shown())); });
  fill();
}

void FindingCard::fill() {
  const Problem& p = shown();
  m_what->setText(QString::fromStdString(p.what).replace("^2", "²").replace("^3", "³"));
  const QString more = theme::sentences(p.why, p.todo);
  m_why->setText(more);
  m_why->setHidden(more.isEmpty());
  m_show->setHidden(p.places.empty() && p.faces.empty());
  m_show->setAccessibleName(tr("Show: %1").arg(m_what->text()));
  m_fix->setText(QString::fromStdString(p.fix));
  m_fix->setHidden(p.fix.empty());
  if (m_which) m_which->setText(tr("%1 of %2").arg(m_at + 1).arg(m_alike.size()));
}

void FindingCard::leaf(std::size_t by) {
  m_at = (m_at + by) % m_alike.size();
  fill();
  emit leafed(m_at);
  if (!shown().places.empty() || !shown().faces.empty()) emit showWanted(Problem(shown()));
}

} // namespace tess
