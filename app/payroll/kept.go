package payroll

import (
	"bytes"
	"cmp"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"hash"
	"io"
	"runtime"
	"slices"
	"time"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// What a run paid by is kept with it, so that the same cents come of it whatever becomes of rules, rates,
// codes and hours: once for the run, and for each person what core was given. It is JSON packed by
// gzip; its names are those of core/pay, which don't change any more.

// keptBasis is what a run went by besides people.
type keptBasis struct {
	Version  int
	Zone     string
	Currency string `json:",omitempty"` // of its sums, "" of runs closed before it was kept
	Decimals int
	Period   when.Period
	First    when.Date // of the first week it looked at
	From     when.Date // what is dated before was paid elsewhere
	Final    bool      // premiums are paid before their week ends
	Sets     []pay.DatedRules
	Codes    []keptCodes
	People   bool // people name codes
	Kinds    map[string][]store.KindFrom
}

// keptCodes are the pay codes that hold from a day on.
type keptCodes struct {
	From  when.Date
	Order []pay.Owner
	Named []keptCode
}

type keptCode struct {
	Owner pay.Owner
	ID    string
	Pays  pay.Pays
	Code  string
}

// keptPerson is what one person's pay was worked out from.
type keptPerson struct {
	Person        string             `json:",omitempty"`
	Earlier       []when.Date        `json:",omitempty"` // weeks before the first that were looked at too
	Stints        []keptStint        `json:",omitempty"`
	Leave         []pay.Leave        `json:",omitempty"`
	Extras        []pay.Extra        `json:",omitempty"`
	Changes       []pay.Change       `json:",omitempty"`
	Banks         []when.Period      `json:",omitempty"`
	Differentials []pay.Differential `json:",omitempty"`
	Salaries      []pay.Salary       `json:",omitempty"`
	Deductions    []pay.Deduction    `json:",omitempty"`
}

// keptStint is a [pay.Stint]; a run has tens of thousands, so what is nothing isn't written.
type keptStint struct {
	Start, End int64      // Unix seconds
	Kind       clock.Kind `json:",omitempty"`
	Rate       pay.Rate   `json:",omitempty"`
	Cash       pay.Rate   `json:",omitempty"`
	Plan       pay.Rate   `json:",omitempty"`
	Job        string     `json:",omitempty"`
	Task       string     `json:",omitempty"`
	WorkClass  string     `json:",omitempty"`
	Account    string     `json:",omitempty"`
	Planned    int64      `json:",omitempty"`
	Callout    bool       `json:",omitempty"`
	NoMeal     bool       `json:",omitempty"`
	HoursOnly  bool       `json:",omitempty"`
}

func (p *Payroll) basis(place *app.Company) keptBasis {
	b := keptBasis{Version: 1, Zone: p.Zone.String(), Currency: place.Currency, Decimals: place.CurrencyDecimals, Period: p.Period,
		First: p.first, From: p.from, Final: p.final, Sets: p.sets(), People: peopleName(p.Codes), Kinds: p.kinds}
	for _, d := range p.Codes {
		k := keptCodes{From: d.From, Order: d.Order}
		for key, named := range d.Named {
			for pays, code := range named {
				k.Named = append(k.Named, keptCode{key.Owner, key.ID, pays, code})
			}
		}
		slices.SortFunc(k.Named, func(a, b keptCode) int {
			return bytes.Compare(fmt.Append(nil, a), fmt.Append(nil, b))
		})
		b.Codes = append(b.Codes, k)
	}
	return b
}

// payroll makes of what was kept what a run is worked out from, without any hours.
func (b keptBasis) payroll() (*Payroll, error) {
	loc, err := time.LoadLocation(b.Zone)
	if err != nil {
		return nil, fmt.Errorf("the zone of a run: %w", err)
	}
	p := &Payroll{Zone: loc, Period: b.Period, first: b.First, from: b.From, final: b.Final, kinds: b.Kinds, dated: b.Sets}
	for i := range p.dated {
		p.dated[i].Rules.Week.Loc = loc
	}
	for _, k := range b.Codes {
		d := pay.DatedCodes{From: k.From, Codes: pay.Codes{Order: k.Order, Named: map[pay.CodeKey]map[pay.Pays]string{}}}
		for _, n := range k.Named {
			key := pay.CodeKey{Owner: n.Owner, ID: n.ID}
			if d.Named[key] == nil {
				d.Named[key] = map[pay.Pays]string{}
			}
			d.Named[key][n.Pays] = n.Code
		}
		p.Codes = append(p.Codes, d)
	}
	return p, nil
}

func keep(in pay.Input, person string, earlier []when.Date) keptPerson {
	k := keptPerson{Person: person, Earlier: earlier, Leave: in.Leave, Extras: in.Extras, Changes: in.Changes, Banks: in.Banks,
		Differentials: in.Differentials, Salaries: in.Salaries, Deductions: in.Deductions, Stints: make([]keptStint, len(in.Stints))}
	for i, s := range in.Stints {
		k.Stints[i] = keptStint{Start: s.Start.Unix(), End: s.End.Unix(), Kind: s.Kind, Rate: s.Rate, Cash: s.FringeCash,
			Plan: s.FringePlan,
			Job:  s.Job, Task: s.Task, WorkClass: s.WorkClass, Account: s.Account, Planned: s.Planned, Callout: s.Callout, NoMeal: s.NoMeal,
			HoursOnly: s.HoursOnly}
	}
	return k
}

func (k keptPerson) input(loc *time.Location) pay.Input {
	in := pay.Input{Leave: k.Leave, Extras: k.Extras, Changes: k.Changes, Banks: k.Banks, Differentials: k.Differentials,
		Salaries: k.Salaries, Deductions: k.Deductions, Stints: make([]pay.Stint, len(k.Stints))}
	for i, s := range k.Stints {
		in.Stints[i] = pay.Stint{Start: time.Unix(s.Start, 0).In(loc), End: time.Unix(s.End, 0).In(loc), Kind: s.Kind, Rate: s.Rate,
			FringeCash: s.Cash, FringePlan: s.Plan, Job: s.Job, Task: s.Task, WorkClass: s.WorkClass, Account: s.Account,
			Planned: s.Planned,
			Callout: s.Callout, NoMeal: s.NoMeal, HoursOnly: s.HoursOnly}
	}
	return in
}

// keep packs what each person's pay was worked out from, in the order of their employments' ids.
func (p *Payroll) keep() ([]store.RunPerson, error) {
	paid := map[uuid.UUID][]pay.Entry{}
	for _, l := range p.Paid {
		paid[l.Employment] = nil
	}
	earlier := p.earlier()
	shares := slices.DeleteFunc(p.byEmployment(paid), func(s payShare) bool { return !p.Members[s.id] })
	people := make([]store.RunPerson, len(shares))
	var work errgroup.Group
	work.SetLimit(runtime.GOMAXPROCS(0))
	const some = 64
	for from := 0; from < len(shares); from += some {
		work.Go(func() error {
			var pack packer
			for i := from; i < min(from+some, len(shares)); i++ {
				in, err := p.input(shares[i])
				if err != nil {
					return err
				}
				of := keep(in, p.persons[shares[i].id.String()], earlier[shares[i].id])
				people[i].Employment = shares[i].id
				if people[i].Input, err = pack.pack(of); err != nil {
					return err
				}
			}
			return nil
		})
	}
	return people, work.Wait()
}

// readKept reads what was kept of somebody in a closed run, with what the runs before it paid of the same
// weeks; nil where nothing was.
func readKept(ctx context.Context, q store.Q, run store.Run, employment uuid.UUID, decimals int) (*Payroll, keptPerson, error) {
	var basis keptBasis
	var of keptPerson
	packed, err := store.RunBasis(ctx, q, run.ID)
	if err != nil || packed == nil {
		return nil, of, err
	}
	input, err := store.RunInput(ctx, q, run.ID, employment)
	if err != nil || input == nil {
		return nil, of, err
	}
	if err := cmp.Or(unpack(packed, &basis), unpack(input, &of)); err != nil {
		return nil, of, err
	}
	payroll, err := basis.payroll()
	if err != nil {
		return nil, of, err
	}
	scope := store.PayScope{From: basis.First, Only: []uuid.UUID{employment}}
	for _, w := range of.Earlier {
		scope.Earlier = append(scope.Earlier, store.EmploymentWeek{Employment: employment, Week: w, Last: w})
	}
	payroll.Paid, err = store.PaidBefore(ctx, q, scope, run.Number, decimals)
	return payroll, of, err
}

// packer writes many values as packed JSON, using its working space again.
type packer struct {
	out bytes.Buffer
	zip *gzip.Writer
}

func (p *packer) pack(v any) ([]byte, error) {
	p.out.Reset()
	if p.zip == nil {
		p.zip, _ = gzip.NewWriterLevel(&p.out, gzip.BestSpeed) // that level is right
	} else {
		p.zip.Reset(&p.out)
	}
	if err := json.NewEncoder(p.zip).Encode(v); err != nil {
		return nil, fmt.Errorf("keep what a run went by: %w", err)
	}
	if err := p.zip.Close(); err != nil {
		return nil, fmt.Errorf("keep what a run went by: %w", err)
	}
	return bytes.Clone(p.out.Bytes()), nil
}

func unpack(packed []byte, into any) error {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return fmt.Errorf("read what a run went by: %w", err)
	}
	data, err := io.ReadAll(z)
	if err != nil {
		return fmt.Errorf("read what a run went by: %w", err)
	}
	if err := json.Unmarshal(data, into); err != nil {
		return fmt.Errorf("read what a run went by: %w", err)
	}
	return nil
}

// digest gives the SHA-256 of a closing: of the run before it, what the audit list was sealed to, what
// it paid, to whom, and from what. Its people are in the order of their ids.
func digest(before []byte, c store.Closing, decimals int) []byte {
	h := sha256.New()
	h.Write(before)
	h.Write(c.Head)
	fmt.Fprintln(h, "run", c.Number, c.Kind, c.From, c.To, c.Group, c.ClosedAt.UTC().Format(time.RFC3339), c.ClosedBy,
		c.Gross.StringFixed(int32(decimals)), c.Reverses, c.Why)
	sum := sha256.Sum256(c.Basis)
	h.Write(sum[:])
	for _, p := range c.People {
		sum := sha256.Sum256(p.Input)
		fmt.Fprintf(h, "person %s %s %q %v %d %x\n", p.Employment, p.Answer, p.Reason, p.PayBy, p.Waiting, sum)
		if p.Crew != nil && p.Site != nil && p.Way != nil {
			fmt.Fprintf(h, "placed %q %q %q\n", *p.Crew, *p.Site, *p.Way)
		}
	}
	for _, l := range c.Lines {
		writeLine(h, l, decimals)
	}
	return h.Sum(nil)
}

// writeLine puts a line into a digest.
func writeLine(h hash.Hash, l store.PayLine, decimals int) {
	fmt.Fprintf(h, "line %s %s %s %s %s %s %s %s %s %d %s %s %q %q\n", l.Employment, l.Week, l.Date, l.Job, l.Task, l.WorkClass, l.PayCode,
		l.Kind, l.Class, l.Seconds, l.Rate, l.Amount.Decimal(decimals), l.Account, l.Entry.Account)
}

// digests gives the SHA-256 of each person's lines of a draft, and of all of them in order.
func (d *Draft) digests(decimals int) (of map[uuid.UUID][]byte, whole []byte) {
	of = map[uuid.UUID][]byte{}
	all, one := sha256.New(), sha256.New()
	for i, l := range d.Lines {
		writeLine(all, l, decimals)
		writeLine(one, l, decimals)
		if i+1 == len(d.Lines) || d.Lines[i+1].Employment != l.Employment {
			of[l.Employment] = one.Sum(nil)
			one.Reset()
		}
	}
	return of, all.Sum(nil)
}
