package payroll

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// PutAccount sets the account that somebody is paid into.
type PutAccount struct {
	Person  uuid.UUID
	Account files.Account
	Keys    app.Keyring
}

// PutDebtor adds an account that people are paid out of.
type PutDebtor struct {
	ID      uuid.UUID
	Title   string // whose it is
	Account files.Account
	Keys    app.Keyring
}

// BringNet says what people get of a closed run, as their payroll says: by number or name.
type BringNet struct {
	Run  uuid.UUID
	Rows []NetRow
}

// NetRow is a row of it.
type NetRow struct{ Who, Net string }

// MakeTransfers makes the credit transfers of a closed run: a file that is kept, encrypted, and made once.
type MakeTransfers struct {
	Run, Debtor uuid.UUID
	On          when.Date
	Keys        app.Keyring
}

// Permission is the act's name in the permission table.
func (PutAccount) Permission() string { return "payrun.accounts" }

// Permission is the act's name in the permission table.
func (PutDebtor) Permission() string { return "payrun.accounts" }

// Permission is the act's name in the permission table.
func (BringNet) Permission() string { return "payrun.accounts" }

// Permission is the act's name in the permission table.
func (MakeTransfers) Permission() string { return "payrun.accounts" }

// What people get, and the one file that pays it, are settled alone: of two makers at once, one finds it made.
func (BringNet) Alone() {}

func (MakeTransfers) Alone() {}

// sealAccount checks an account and encrypts it.
func sealAccount(a files.Account, about string, keys app.Keyring) (sealed []byte, shown string, err error) {
	if keys.Empty() {
		return nil, "", refusal.New("account", "There is no key to keep account numbers by", "Start the server with MANUDEX_ACCOUNT_KEYS")
	}
	if a, err = a.Check(); err != nil {
		return nil, "", err
	}
	plain, err := json.Marshal(a)
	if err != nil {
		return nil, "", fmt.Errorf("keep an account: %w", err)
	}
	sealed, err = keys.Seal(plain, about)
	return sealed, a.Shown(), err
}

func openAccount(sealed []byte, about string, keys app.Keyring) (a files.Account, err error) {
	plain, err := keys.Open(sealed, about)
	if err == nil {
		err = json.Unmarshal(plain, &a)
	}
	if err != nil {
		return a, fmt.Errorf("read an account: %w", err)
	}
	return a, nil
}

func (p PutAccount) Do(ctx context.Context, t *app.Turn) error {
	if p.Person == t.Actor.ID {
		return refusal.New("who", "That is your own account", "Somebody else sets it")
	}
	sealed, shown, err := sealAccount(p.Account, "account "+p.Person.String(), p.Keys)
	if err != nil {
		return err
	}
	if err := store.PutPayAccount(ctx, t, store.SealedAccount{Of: p.Person, Sealed: sealed, Shown: shown}, t.Actor.ID, t.Now); err != nil {
		return err
	}
	t.Record(store.Event{Act: p.Permission()}, p.Person, map[string]any{"account": shown})
	return nil
}

func (p PutDebtor) Do(ctx context.Context, t *app.Turn) error {
	title := strings.TrimSpace(p.Title)
	if title == "" || len([]rune(title)) > 70 {
		return refusal.New("title", "It isn't said whose account it is", "Write the name that the bank knows, in at most 70 characters")
	}
	sealed, shown, err := sealAccount(p.Account, "debtor "+p.ID.String(), p.Keys)
	if err != nil {
		return err
	}
	if err := store.PutPayDebtor(ctx, t, store.PayDebtor{ID: p.ID, Name: title, Sealed: sealed, Shown: shown}); err != nil {
		return fmt.Errorf("keep an account: %w", err)
	}
	t.Record(store.Event{Act: p.Permission()}, p.ID, map[string]any{"out of": title, "account": shown})
	return nil
}

func (b BringNet) Do(ctx context.Context, t *app.Turn) error {
	people, err := store.PaidPeople(ctx, t, b.Run)
	if err != nil {
		return err
	}
	switch {
	case len(people) == 0:
		return app.ErrNotFound
	case len(b.Rows) == 0:
		return refusal.New("file", "There is nothing in it", "Write a row for each person: number and net")
	}
	if made, err := transfersOf(ctx, t, b.Run); err != nil || made != nil {
		return cmp.Or(err, refusal.New("file", "The transfers of this run were made already", "They can be had again among its files"))
	}
	run, err := store.GetRun(ctx, t, b.Run)
	if err != nil {
		return fmt.Errorf("read a run: %w", err)
	}
	decimals := int32(t.Company.PaidIn(run.Currency).CurrencyDecimals)
	net := map[uuid.UUID]decimal.Decimal{}
	for i, r := range b.Rows {
		of, err := paidCalled(people, r.Who)
		if err != nil {
			return inRow(i+1, err)
		}
		amount, err := pay.ParseRate(strings.TrimSpace(r.Net))
		sum := decimal.New(int64(amount), -6)
		if err != nil || amount < 0 || !sum.Equal(sum.Round(decimals)) {
			return inRow(i+1, refusal.New("net", "“"+field.Shorten(r.Net)+"” is no sum", "Write a decimal such as 1204.50"))
		}
		if _, twice := net[of.Person]; twice {
			return inRow(i+1, refusal.New("who", of.Given+" "+of.Family+" is in it twice", "Keep one row"))
		}
		net[of.Person] = sum
	}
	for _, p := range people {
		if _, is := net[p.Person]; is && p.Person == t.Actor.ID {
			return refusal.New("who", "Your own pay is in it", "Somebody else brings it in")
		}
	}
	if err := store.PutNetPay(ctx, t, b.Run, net, t.Actor.ID, t.Now); err != nil {
		return fmt.Errorf("keep what people get: %w", err)
	}
	t.Record(store.Event{Act: b.Permission()}, b.Run, map[string]any{"net of": len(net)})
	return nil
}

// paidCalled finds the one person among those of a run who has a number or a name.
func paidCalled(people []store.PaidPerson, who string) (found store.PaidPerson, err error) {
	who = strings.Join(strings.Fields(who), " ")
	for _, p := range people {
		if p.Number != who && !strings.EqualFold(p.Given+" "+p.Family, who) {
			continue
		}
		if found.Person != uuid.Nil {
			return found, refusal.New("who", "There are several called “"+field.Shorten(who)+"”", "Write the number")
		}
		found = p
	}
	if found.Person == uuid.Nil {
		return found, refusal.New("who", "The run pays nobody called “"+field.Shorten(who)+"”",
			"Write a number, or a whole name, of the run")
	}
	return found, nil
}

// Called finds the one person of the run who has a number or a name.
func (p *TransfersPage) Called(who string) (store.PaidPerson, error) {
	people := make([]store.PaidPerson, len(p.Rows))
	for i, row := range p.Rows {
		people[i] = row.PaidPerson
	}
	return paidCalled(people, who)
}

// transfersOf gives the file of transfers of a run, nil for none yet.
func transfersOf(ctx context.Context, q store.Q, run uuid.UUID) (*store.RunFile, error) {
	made, err := store.RunFiles(ctx, q, run)
	if err != nil {
		return nil, err
	}
	for i := range made {
		if made[i].Sealed {
			return &made[i], nil
		}
	}
	return nil, nil
}

func (m MakeTransfers) Do(ctx context.Context, t *app.Turn) error {
	run, err := store.GetRun(ctx, t, m.Run)
	if store.NotFound(err) {
		return app.ErrNotFound
	}
	if err != nil {
		return fmt.Errorf("read a run: %w", err)
	}
	made, err := transfersOf(ctx, t, m.Run)
	if err != nil {
		return err
	}
	switch {
	case made != nil:
		return refusal.New("run", "The transfers of this run were made already", "They can be had again among its files")
	case run.Turned != nil || run.Kind == store.ReversalRun:
		return refusal.New("run", "This run was turned, or turns another", "The next run pays it anew")
	case m.On < t.Company.Today(t.Now) || m.On > t.Company.Today(t.Now)+366:
		return refusal.New("on", "The bank can't pay on "+m.On.Format("2 January 2006"), "Take a day from today on, within a year")
	case m.Keys.Empty():
		return refusal.New("account", "There is no key to read account numbers by", "Start the server with MANUDEX_ACCOUNT_KEYS")
	}
	transfers, err := m.transfers(ctx, t, run)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := files.WriteTransfers(&b, transfers); err != nil {
		return err
	}
	name := fmt.Sprintf("transfers-%s.xml", m.On)
	sum := sha256.Sum256(b.Bytes())
	sealed, err := m.Keys.Seal(b.Bytes(), "file "+m.Run.String()+" "+name)
	if err != nil {
		return fmt.Errorf("keep the transfers: %w", err)
	}
	if _, err := store.KeepRunFile(ctx, t, store.RunFile{Run: m.Run, Name: name, Media: "application/xml", Data: sealed, SHA256: sum[:],
		By: t.Actor.ID, MadeAt: t.Now, Sealed: true}); err != nil {
		return err
	}
	t.Record(store.Event{Act: m.Permission()}, m.Run, map[string]any{"transfers": len(transfers.Each), "on": m.On, "run": run.Number})
	return nil
}

// transfers gathers what each person gets, and into which account; it names whoever has none, or of whom nobody
// has said what they get.
func (m MakeTransfers) transfers(ctx context.Context, t *app.Turn, run store.Run) (files.Transfers, error) {
	place := t.Company.PaidIn(run.Currency)
	out := files.Transfers{Message: fmt.Sprintf("RUN%d-%s", run.Number, m.On.Format("20060102")), Made: t.Now.Truncate(time.Second),
		On:       m.On,
		Currency: place.Currency, Decimals: place.CurrencyDecimals}
	debtors, err := store.PayDebtors(ctx, t)
	if err != nil {
		return out, err
	}
	at := slices.IndexFunc(debtors, func(d store.PayDebtor) bool { return d.ID == m.Debtor })
	if at < 0 {
		return out, refusal.New("debtor", "It isn't said out of which account", "Choose one")
	}
	out.Debtor = debtors[at].Name
	if out.From, err = openAccount(debtors[at].Sealed, "debtor "+m.Debtor.String(), m.Keys); err != nil {
		return out, err
	}
	people, err := store.PaidPeople(ctx, t, m.Run)
	if err != nil {
		return out, err
	}
	var ids []uuid.UUID
	for _, p := range people {
		ids = append(ids, p.Person)
	}
	accounts, err := store.PayAccounts(ctx, t, ids)
	if err != nil {
		return out, err
	}
	var without, unsaid []string
	for _, p := range people {
		account, has := accounts[p.Person]
		switch {
		case p.Net == nil:
			unsaid = append(unsaid, p.Given+" "+p.Family)
			continue
		case p.Net.IsZero():
			continue
		case !has:
			without = append(without, p.Given+" "+p.Family)
			continue
		}
		one := files.Transfer{ID: fmt.Sprintf("RUN%d-%s", run.Number, p.Number), Name: p.Given + " " + p.Family, Amount: *p.Net,
			Text: fmt.Sprintf("Pay run %d, %s to %s", run.Number, run.From, run.To)}
		if one.To, err = openAccount(account.Sealed, "account "+p.Person.String(), m.Keys); err != nil {
			return out, err
		}
		out.Each = append(out.Each, one)
	}
	switch {
	case len(unsaid) > 0:
		return out, refusal.New("net", "Nobody has said what "+some(unsaid)+" get", "Bring in what your payroll says, 0 for nothing")
	case len(without) > 0:
		return out, refusal.New("account", "There is no account of "+some(without), "Set it, or let them get 0 by this way")
	}
	return out, nil
}

// TransfersPage is the page of a run's credit transfers.
type TransfersPage struct {
	Run     store.Run
	Rows    []TransferRow
	Debtors []store.PayDebtor
	Made    *store.RunFile
	NoKey   bool // account numbers can't be kept

	Currency string
	Decimals int
}

// TransferRow is somebody in it.
type TransferRow struct {
	store.PaidPerson
	Account string // its end, "" for none
}

// ReadTransfersPage reads it.
func ReadTransfersPage(ctx context.Context, a *app.App, actor app.Actor, run uuid.UUID) (*TransfersPage, error) {
	if actor.Scope("payrun.accounts") != app.All {
		return nil, app.ErrForbidden
	}
	p := &TransfersPage{NoKey: a.Keys.Empty()}
	var err error
	if p.Run, err = store.GetRun(ctx, a.DB, run); store.NotFound(err) {
		return nil, app.ErrNotFound
	} else if err != nil {
		return nil, fmt.Errorf("read a run: %w", err)
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	place = place.PaidIn(p.Run.Currency)
	p.Currency, p.Decimals = place.Currency, place.CurrencyDecimals
	people, err := store.PaidPeople(ctx, a.DB, run)
	if err != nil {
		return nil, err
	}
	var ids []uuid.UUID
	for _, of := range people {
		ids = append(ids, of.Person)
	}
	accounts, err := store.PayAccounts(ctx, a.DB, ids)
	if err != nil {
		return nil, err
	}
	for _, of := range people {
		p.Rows = append(p.Rows, TransferRow{of, accounts[of.Person].Shown})
	}
	if p.Debtors, err = store.PayDebtors(ctx, a.DB); err != nil {
		return nil, err
	}
	p.Made, err = transfersOf(ctx, a.DB, run)
	return p, err
}

// resealedAtOnce is how many things are encrypted anew at once: kept files are some megabytes.
const resealedAtOnce = 50

// Reseal encrypts all that is encrypted by the key in use, where it was by another, and says how much that was.
func Reseal(ctx context.Context, a *app.App) (n int, err error) {
	if a.Keys.Empty() {
		return 0, app.ErrNoKey
	}
	err = a.DB.Tx(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `alter table run_file disable trigger run_file_append_only`); err != nil {
			return fmt.Errorf("open the kept files: %w", err)
		}
		for about, more := "", true; more; {
			some, err := store.SealedAfter(ctx, tx, about, resealedAtOnce)
			if err != nil {
				return err
			}
			if more = len(some) == resealedAtOnce; len(some) > 0 {
				about = some[len(some)-1].About
			}
			some = slices.DeleteFunc(some, func(r store.Encrypted) bool { return a.Keys.Current(r.Sealed) })
			for i := range some {
				plain, err := a.Keys.Open(some[i].Sealed, some[i].About)
				if err != nil {
					return err
				}
				if some[i].Sealed, err = a.Keys.Seal(plain, some[i].About); err != nil {
					return err
				}
			}
			if err := store.PutResealed(ctx, tx, some); err != nil {
				return err
			}
			n += len(some)
		}
		_, err := tx.ExecContext(ctx, `alter table run_file enable trigger run_file_append_only`)
		return err
	})
	return n, err
}

// NetRows reads the rows of a file that says what people get: the columns who and net.
func NetRows(table files.Table) ([]NetRow, error) {
	if len(table.Rows) == 0 {
		return nil, refusal.New("file", "The file is empty", "The first line names the columns: who, net")
	}
	at := map[string]int{}
	for i, name := range table.Rows[0] {
		at[strings.ToLower(strings.TrimSpace(name))] = i
	}
	who, named := at["who"]
	net, said := at["net"]
	if !named || !said {
		return nil, refusal.New("file", "The columns who and net aren't both there", "Name them in the first line")
	}
	var rows []NetRow
	for _, cells := range table.Rows[1:] {
		rows = append(rows, NetRow{Who: cells[who], Net: cells[net]})
	}
	return rows, nil
}
