package roster

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/roster"
	"manudex/store"
)

// PutRule says what comes of something that speaks against a shift, and from which figure on.
type PutRule struct {
	Code   roster.Code
	Does   roster.Does
	Figure int
	Span   int
}

// Permission is what the act takes.
func (PutRule) Permission() string { return "setup.change" }

// Alone as all that changes settings.
func (PutRule) Alone() {}

func (p PutRule) Do(ctx context.Context, t *app.Turn) error {
	i := slices.IndexFunc(roster.Rules, func(r roster.Rule) bool { return r.Code == p.Code })
	if i < 0 || !slices.Contains([]roster.Does{roster.Off, roster.Warns, roster.Refuses}, p.Does) {
		return app.ErrNotFound
	}
	rule := roster.Rules[i]
	switch {
	case rule.Fixed():
		return refusal.New("does", "This always holds", "Leave it as it is")
	case rule.Unit == "" && p.Figure != 0, rule.Spans == "" && p.Span != 0:
		return app.ErrNotFound
	case rule.Spans != "" && (p.Span < 1 || p.Span > 52):
		return refusal.New("span", "That is no number of "+rule.Spans, "Write a whole number from 1 to 52")
	case rule.Unit != "" && (p.Figure < 1 || p.Figure > 200):
		return refusal.New("figure", "That is no number of "+rule.Unit, "Write a whole number from 1 to 200")
	}
	rule.Does, rule.Figure, rule.Span = p.Does, p.Figure, p.Span
	if err := store.PutPlanRule(ctx, t, rule); err != nil {
		return err
	}
	t.RecordSetting(uuid.Nil, map[string]any{"field": rule.Name, "to": string(p.Does)})
	return nil
}
