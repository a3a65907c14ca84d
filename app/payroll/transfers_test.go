package payroll_test

import (
	"bytes"
	"context"
	"encoding/base64"
	"errors"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/payroll"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
	"manudex/store"
)

// A run that was turned, the one that turns it, and one that isn't there have nothing for the bank.
func TestNoTransfersOfATurnedRun(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	sana := w.Person(t, "Sana Verity")
	keys, err := app.ParseKeyring(base64.StdEncoding.EncodeToString(bytes.Repeat([]byte{1}, 32)))
	apptest.Must(t, err)
	run, back := dbtest.Get[uuid.UUID](t, w, `select id from run order by number desc limit 1`), apptest.NewID()
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), payroll.TurnRun{ID: back, Run: run, Why: "wrong"}))
	for _, id := range []uuid.UUID{run, back} {
		r := apptest.Refusal(t, w.Do(ctx, sana, payroll.MakeTransfers{Run: id, On: when.NewDate(2026, 11, 16), Keys: keys}))
		if r.Field != "run" || !strings.Contains(r.Wrong, "turned") {
			t.Errorf("of a turned run, or the one that turns it: %+v", r)
		}
	}
	if err := w.Do(ctx, sana, payroll.BringNet{Run: uuid.New(), Rows: []payroll.NetRow{{Who: "1", Net: "1"}}}); !errors.Is(err,
		app.ErrNotFound) {
		t.Errorf("of no run: %v", err)
	}
	for _, table := range []files.Table{{}, {Rows: [][]string{{"who", "sum"}}}, {Rows: [][]string{{"name", "net"}}}} {
		if _, err := payroll.NetRows(table); apptest.Refusal(t, err).Field != "file" {
			t.Errorf("a file without its columns: %v", err)
		}
	}
}

// What people get comes from the payroll; the transfers are made once, kept encrypted, and read by whoever may.
func TestTransfersOfARun(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	key := func(b byte) string { return base64.StdEncoding.EncodeToString(bytes.Repeat([]byte{b}, 32)) }
	var err error
	w.App.Keys, err = app.ParseKeyring(key(1))
	apptest.Must(t, err)
	run := dbtest.Get[uuid.UUID](t, w, `select id from run order by number desc limit 1`)
	page := func() *payroll.TransfersPage {
		t.Helper()
		p, err := payroll.ReadTransfersPage(ctx, w.App, sana, run)
		apptest.Must(t, err)
		return p
	}
	p := page()
	rows := []payroll.NetRow{}
	for i, r := range p.Rows {
		net := "0"
		if i < 3 {
			net = "100.25"
		}
		rows = append(rows, payroll.NetRow{Who: r.Number, Net: net})
	}
	bring := func(rows []payroll.NetRow) error { return w.Do(ctx, sana, payroll.BringNet{Run: run, Rows: rows}) }
	for field, bad := range map[string][]payroll.NetRow{"who": {{Who: "9999", Net: "1"}}, "net": {{Who: rows[0].Who, Net: "1.001"}},
		"file": nil} {
		if r := apptest.Refusal(t, bring(bad)); r.Field != field {
			t.Errorf("%s: %+v", field, r)
		}
	}
	if r := apptest.Refusal(t, bring([]payroll.NetRow{rows[0], rows[0]})); !strings.Contains(r.Wrong, "is in it twice") {
		t.Errorf("twice: %+v", r)
	}
	make := payroll.MakeTransfers{Run: run, On: when.NewDate(2026, 11, 16), Keys: w.App.Keys}
	refused := func(field string) {
		t.Helper()
		if r := apptest.Refusal(t, w.Do(ctx, sana, make)); r.Field != field {
			t.Errorf("want %s: %+v", field, r)
		}
	}
	refused("debtor")
	debtor := payroll.PutDebtor{ID: apptest.NewID(), Title: "Ebbwater Works", Account: files.Account{Number: "7700112233",
		Member: "021000021"},
		Keys: w.App.Keys}
	apptest.Must(t, w.Do(ctx, sana, debtor))
	make.Debtor = debtor.ID
	refused("net")
	apptest.Must(t, bring(rows))
	refused("account")
	for i, r := range p.Rows[:3] {
		put := payroll.PutAccount{Person: r.Person, Keys: w.App.Keys, Account: files.Account{IBAN: "GB82 WEST 1234 5698 7654 32"}}
		if i == 1 {
			put.Account = files.Account{Number: "4400556677", Member: "011401533"}
		}
		apptest.Must(t, w.Do(ctx, sana, put))
	}
	if r := apptest.Refusal(t, w.Do(ctx, sana, payroll.PutAccount{Person: p.Rows[0].Person,
		Account: files.Account{IBAN: "GB83WEST12345698765432"},
		Keys:    w.App.Keys})); r.Field != "iban" {
		t.Errorf("a wrong IBAN: %+v", r)
	}
	if r := apptest.Refusal(t, w.Do(ctx, sana, payroll.PutAccount{Person: p.Rows[0].Person,
		Account: files.Account{IBAN: "GB82WEST12345698765432"}})); r.Field !=
		"account" {
		t.Errorf("without a key: %+v", r)
	}
	make.On = when.NewDate(2026, 11, 12)
	refused("on")
	make.On = when.NewDate(2026, 11, 16)
	// A name that two have names nobody.
	one, two := p.Rows[0], p.Rows[1]
	if of, err := p.Called(" " + one.Number); err != nil || of.Person != one.Person {
		t.Errorf("by number: %+v, %v", of, err)
	}
	p.Rows[1].Given, p.Rows[1].Family = one.Given, one.Family
	if _, err := p.Called(one.Given + " " + one.Family); apptest.Refusal(t, err).Right != "Write the number" {
		t.Errorf("two of a name: %v", err)
	}
	p.Rows[1] = two
	// Several make it at once, for different days: it is made once.
	made := [16]error{}
	var all sync.WaitGroup
	for i := range made {
		all.Go(func() {
			one := make
			one.On += when.Date(i)
			made[i] = w.Do(ctx, sana, one)
		})
	}
	all.Wait()
	once := slices.IndexFunc(made[:], func(err error) bool { return err == nil })
	for i, err := range made {
		if i != once && apptest.Refusal(t, err).Field != "run" {
			t.Errorf("made %d times, or: %v", i, err)
		}
	}
	make.On += when.Date(once)
	refused("run")
	if r := apptest.Refusal(t, bring(rows)); r.Field != "file" {
		t.Errorf("after they were made: %+v", r)
	}
	f, _, err := payroll.FetchRunFile(ctx, w.App, sana, run, "transfers-"+make.On.String()+".xml")
	apptest.Must(t, err)
	if wrong := files.CheckTransfers(f.Data); len(wrong) > 0 || !bytes.Contains(f.Data, []byte("<CtrlSum>300.75</CtrlSum>")) ||
		!bytes.Contains(f.Data, []byte("GB82WEST12345698765432")) {
		t.Errorf("the file: %v\n%.300s", wrong, f.Data)
	}
	// Nothing of an account is readable in the database, or in the audit list but its end.
	for _, sql := range []string{`select count(*) from run_file where position('\x4742383257455354'::bytea in data) > 0`,
		`select count(*) from pay_account where position('\x4742383257455354'::bytea in sealed) > 0 or shown not like '…____'`,
		`select count(*) from audit where detail::text like '%GB82%' or detail::text like '%4400556677%'`} {
		if n := dbtest.Get[int](t, w, sql); n != 0 {
			t.Errorf("%d: %s", n, sql)
		}
	}
	// The key is turned, of more than is encrypted anew at once: the old one behind the new, and then gone.
	for _, r := range p.Rows[3:] {
		apptest.Must(t, w.Do(ctx, sana, payroll.PutAccount{Person: r.Person, Keys: w.App.Keys,
			Account: files.Account{Number: "4400556677", Member: "011401533"}}))
	}
	w.App.Keys, err = app.ParseKeyring(key(2) + "," + key(1))
	apptest.Must(t, err)
	n, err := payroll.Reseal(ctx, w.App)
	if want := len(p.Rows) + 2; err != nil || n != want || want < 51 {
		t.Errorf("%d encrypted anew, want %d, %v", n, want, err)
	}
	if n, err := payroll.Reseal(ctx, w.App); err != nil || n != 0 {
		t.Errorf("again %d, %v", n, err)
	}
	w.App.Keys, err = app.ParseKeyring(key(2))
	apptest.Must(t, err)
	again, _, err := payroll.FetchRunFile(ctx, w.App, sana, run, f.Name)
	if err != nil || !bytes.Equal(again.Data, f.Data) {
		t.Errorf("by the new key it's another, %v", err)
	}
	w.App.Keys = app.Keyring{}
	if _, _, err := payroll.FetchRunFile(ctx, w.App, sana, run, f.Name); !errors.Is(err, app.ErrNoKey) {
		t.Errorf("without a key: %v", err)
	}
	// What somebody is paid into goes with their name.
	apptest.Must(t, store.ErasePerson(ctx, w.DB, p.Rows[0].Person, w.App.Now()))
	if n := dbtest.Get[int](t, w, `select count(*) from pay_account where person_id = $1`, p.Rows[0].Person); n != 0 {
		t.Error("the account of somebody who is erased is still there")
	}
	if _, err := payroll.ReadTransfersPage(ctx, w.App, w.Person(t, "Piet Donoghue"), run); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a manager without the grant: %v", err)
	}
	wren := w.Person(t, "Wren Halloran")
	if _, err := payroll.ReadTransfersPage(ctx, w.App, wren, run); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a lead: %v", err)
	}
}
