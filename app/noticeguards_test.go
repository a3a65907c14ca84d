package app_test

import (
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/notice"
	core "manudex/core/notice"
	"manudex/dbtest"
)

// Every "no" of notices: of who may, and of what can't be.
func TestRefusedNotices(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, dao, orla := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham"), w.Person(t, "Orla Ebbwater")
	ask := company.PutAsk{ID: apptest.NewID(), Subject: "Pay", Named: orla.Number}
	apptest.Must(t, w.Do(ctx, mira, ask))
	question := notice.AskQuestion{ID: apptest.NewID(), Ask: ask.ID, Question: "When is it?", Page: "/clock/days"}
	elsewhere, empty, endless, nobody := question, question, question, question
	elsewhere.Page, empty.Question, endless.Question, nobody.Ask = "//example.org", " ", long(501), uuid.New()
	outside := question
	outside.Page = "clock"
	ways := func(kind, by string) notice.ChooseWays { return notice.ChooseWays{Kind: kind, Ways: by} }
	apptest.Must(t, w.Do(ctx, orla, notice.SeeNotices{Until: w.At()}))
	for _, row := range []refused{
		{dao, notice.GatherMessages{}, "forbidden"},
		{mira, notice.TellWhatTimeBrings{}, "forbidden"},
		{dao, notice.SeeNotice{Notice: uuid.New()}, "not found"},
		{dao, notice.SendAgain{Message: uuid.New()}, "forbidden"},
		{mira, notice.SendAgain{Message: uuid.New()}, "not found"},
		{dao, ways("nothing", "page"), "not found"},
		{dao, ways(core.CardChanged, "mail"), "not found"},
		{dao, ways(core.RunDue, "page"), "not found"},
		{dao, ways(core.CardChanged, ""), "Nobody does without"},
		{dao, ways(core.NewSignIn, ""), "can't be done without"},
		{dao, notice.ChooseQuiet{From: -1}, "no time of day"},
		{dao, notice.ChooseQuiet{From: 86400}, "no time of day"},
		{dao, notice.ChooseQuiet{To: -1}, "no time of day"},
		{dao, notice.ChooseQuiet{To: 86400}, "no time of day"},
		{orla, question, "whom one asks"},
		{dao, empty, "missing or too long"},
		{dao, endless, "missing or too long"},
		{dao, elsewhere, "not found"},
		{dao, outside, "not found"},
		{dao, nobody, "not found"},
	} {
		row.try(t, w)
	}
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "notices_off", Value: "yes"}))
	for _, row := range []refused{
		{dao, ways(core.NewSignIn, ""), "can't be done without"},
		{dao, ways(core.CardChanged, ""), ""},
		{dao, question, ""},
	} {
		row.try(t, w)
	}
}
