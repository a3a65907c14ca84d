package app_test

import (
	"encoding/hex"
	"strings"
	"testing"
	"time"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// What is sealed is held to: rows of finished transactions once each, in order;
// a row that is changed, taken out or moved in the database is found; erasing
// somebody leaves the list whole.
func TestSeal(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx, do, orla := t.Context(), doing(t, w), w.Person(t, "Orla Ebbwater")
	verify := func() app.AuditVerdict {
		t.Helper()
		v, err := app.VerifyAudit(ctx, w.DB)
		apptest.Must(t, err)
		return v
	}
	sealed := func() int {
		t.Helper()
		n, err := app.SealAudit(ctx, w.App)
		apptest.Must(t, err)
		return n
	}
	name := func(value string) people.SetPerson {
		return people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Ruth Adeyemi").ID, Field: "title", Value: value}
	}
	do(orla, name("Priest of primer"))
	if n, all := sealAll(t, w), dbtest.Get[int](t, w, `select count(*) from audit`); n != all || n == 0 {
		t.Fatalf("%d of %d rows were sealed", n, all)
	}
	if n := sealed(); n != 0 {
		t.Errorf("%d rows were sealed twice", n)
	}
	first := verify()
	if len(first.Wrong) > 0 || first.Rows == 0 || len(first.Head) != 32 {
		t.Fatalf("%+v", first)
	}

	// A transaction that is not finished: its row has the lower number, and comes
	// with the next batch.
	tx, err := w.DB.Beginx()
	apptest.Must(t, err)
	apptest.Must(t, store.InsertAudits(ctx, tx, store.Audit{MadeAt: w.At(), Act: "self", Detail: map[string]any{"sign-in": "slow"}}))
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Kofi Larkin").ID, Field: "title", Value: "Painter"})
	if n := sealed(); n != 0 {
		t.Errorf("%d rows were sealed while an earlier one was not finished", n)
	}
	apptest.Must(t, tx.Commit())
	if n := sealAll(t, w); n != 2 {
		t.Errorf("%d rows were sealed after it was", n)
	}
	do(orla, hours.Approve{Card: apptest.Ref(t, w, "Hugo Yilmaz", apptest.Thursday), Why: "Phone had no signal"})
	sealAll(t, w)

	// Erasing leaves it whole, and the head of before is still held.
	ruth := w.Person(t, "Ruth Adeyemi")
	do(orla, people.EndPerson{ID: apptest.NewID(), Person: ruth.ID, On: when.NewDate(2026, 11, 13)})
	sealAll(t, w)
	w.Pass(48 * time.Hour)
	do(orla, people.ErasePerson{Person: ruth.ID, Number: ruth.Number})
	sealAll(t, w)
	v := verify()
	if len(v.Wrong) > 0 || v.Erased == 0 {
		t.Errorf("after somebody was erased: %+v", v)
	}
	if s, err := store.SealOf(ctx, w.DB, first.Head); err != nil || s.Batch != int64(first.Batches) {
		t.Errorf("the head of before: %+v, %v", s, err)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from audit_leaf l join audit a using (seq) where l.salt is not null and a.about = $1
		and a.made_at < $2`, ruth.ID, w.At()); n > 0 {
		t.Errorf("%d salts are left of somebody erased", n)
	}

	// What the database lets nobody do, done past it.
	past := func(sql string) {
		t.Helper()
		tx, err := w.DB.Beginx()
		apptest.Must(t, err)
		defer tx.Rollback()
		for _, s := range []string{`alter table audit disable trigger user`, `alter table audit_leaf disable trigger user`,
			`alter table audit_seal disable trigger user`, `alter table change disable trigger user`} {
			_, err := tx.Exec(s)
			apptest.Must(t, err)
		}
		_, err = tx.Exec(sql)
		apptest.Must(t, err)
		v, err := app.VerifyAudit(ctx, tx)
		apptest.Must(t, err)
		if len(v.Wrong) == 0 {
			t.Errorf("%s isn't found", sql)
		}
	}
	const one = `(select seq from audit_leaf where salt is not null order by seq desc limit 1)`
	past(`update audit set detail = detail || '{"x": 1}' where seq = ` + one)
	past(`update audit set made_at = made_at + interval '1 second' where seq = ` + one)
	past(`update audit set person_id = null where seq = (select min(seq) from audit where person_id is not null)`)
	past(`update audit set name = 'Sign' where seq = ` + one)
	past(`update audit_leaf set digest = (select digest from audit_leaf order by seq limit 1) where seq = ` + one)
	past(`delete from audit_leaf where seq = ` + one)
	past(`with gone as (delete from audit_leaf where batch = 1) update audit_seal set digest = '\x00' where batch = 1`)
	past(`update change set new_value = 'Rector' where new_value = 'Painter'`)
	if v := verify(); len(v.Wrong) > 0 {
		t.Errorf("in the end: %v", v.Wrong)
	}
	for name, sql := range map[string]string{"a seal": `update audit_seal set rows = 1`, "a leaf": `update audit_leaf set digest = '\x00'`,
		"a row": `update audit set name = 'x'`, "a row, taken out": `delete from audit`} {
		if _, err := w.DB.Exec(sql); err == nil || !strings.Contains(err.Error(), "append-only") {
			t.Errorf("%s was changed: %v", name, err)
		}
	}
	if hex.EncodeToString(v.Head) == hex.EncodeToString(first.Head) {
		t.Error("the head never changed")
	}
}

// sealAll seals until no row is left, and says how many were: a row waits for
// every transaction of the server that began before it, also of another database
// beside this one.
func sealAll(t *testing.T, w *dbtest.World) (n int) {
	t.Helper()
	for by := time.Now().Add(20 * time.Second); time.Now().Before(by); {
		more, err := app.SealAudit(t.Context(), w.App)
		apptest.Must(t, err)
		n += more
		if dbtest.Get[int](t, w, `select count(*) from audit a where not exists (select 1 from audit_leaf l where l.seq = a.seq)`) == 0 {
			break
		}
	}
	return n
}

// A closed run says what the audit list was sealed to.
func TestARunHoldsTheHead(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	apptest.Must(t, w.Do(t.Context(), w.Person(t, "Mira Castellane"), hours.Approve{
		Card: apptest.Ref(t, w, "Hugo Yilmaz", apptest.Thursday), Why: "x"}))
	sealAll(t, w)
	head, err := store.LastSeal(t.Context(), w.DB)
	apptest.Must(t, err)
	w.Set(apptest.AfterPeriod)
	id, _ := apptest.CloseOpenRun(t, w)
	run, err := store.GetRun(t.Context(), w.DB, id)
	apptest.Must(t, err)
	if hex.EncodeToString(run.Head) != hex.EncodeToString(head.Digest) || len(run.Head) != 32 {
		t.Errorf("the run holds %x, the list was sealed to %x", run.Head, head.Digest)
	}
}
