package web

import (
	"net/url"
	"testing"

	"manudex/app/payroll"
	"manudex/store"
)

// What a list is asked for goes along with every link of it.
func TestListQuery(t *testing.T) {
	at := func(text string) listQuery {
		u, err := url.Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		return listQueryAt(u)
	}
	l := at("/people?kind=crew&kind=office&q=a&sort=rate&offset=50&as=x&state=")
	for what, c := range map[string][2]string{
		"itself":       {l.Href(), "/people?kind=crew&kind=office&q=a&sort=rate"},
		"one out":      {l.Turn("kind", "crew"), "/people?kind=office&q=a&sort=rate"},
		"one in":       {l.Turn("level", "lead"), "/people?kind=crew&kind=office&level=lead&q=a&sort=rate"},
		"in its place": {l.With("q", "b"), "/people?kind=crew&kind=office&q=b&sort=rate"},
		"none":         {at("/people?state=left").With("state", ""), "/people"},
		"falling":      {l.Head("rate", "Rate").Href, "/people?kind=crew&kind=office&q=a&sort=-rate"},
		"another":      {l.Head("name", "Person").Href, "/people?kind=crew&kind=office&q=a&sort=name"},
		"as before":    {at("/people?sort=-rate").Head("rate", "Rate").Href, "/people"},
		"sorted":       {l.Head("rate", "Rate").Sorted, "ascending"},
	} {
		if c[0] != c[1] {
			t.Errorf("%s: %s, want %s", what, c[0], c[1])
		}
	}
	if fields := l.Fields("q"); len(fields) != 3 || fields[2] != (sent{"sort", "rate"}) {
		t.Errorf("a form takes along %v", fields)
	}
	if at("/people?sort=x&view=pay").Narrowed() || !l.Narrowed() {
		t.Error("order and columns narrow a list, or a filter doesn't")
	}
}

// A menu that is left on "every" restricts nothing.
func TestAmong(t *testing.T) {
	const id = "019f7887-e600-7c90-b8a5-0bc67b7398a0"
	for text, want := range map[string]int{"unit=&site=": 0, "unit=" + id + "&site=": 1, "unit=" + id + "&site=" + id: 2, "unit=moon": -1} {
		q, _ := url.ParseQuery(text)
		a, err := listQuery{"/timecards", q}.among()
		got := len(a.Units) + len(a.Sites)
		if err != nil {
			got = -1
		}
		if got != want {
			t.Errorf("%s restricts to %d, want %d", text, got, want)
		}
	}
}

func TestSortedPay(t *testing.T) {
	who := func(name, unit, gross string, regular int64) payroll.PayRow {
		return payroll.PayRow{Payee: store.Payee{Given: name, UnitName: unit}, Gross: gross, Regular: regular}
	}
	all := []payroll.PayRow{who("A", "one", "900.00", 3), who("B", "two", "1000.50", 1), who("C", "one", "20.00", 2)}
	for query, want := range map[string]string{"": "ABC", "sort=gross": "CAB", "sort=-gross": "BAC", "sort=regular": "BCA",
		"crew=one":               "AC",
		"crew=one&sort=-regular": "AC", "crew=three": "", "sort=moon": "refused"} {
		q, _ := url.ParseQuery(query)
		rows, err := sortedPay(listQuery{"/payruns", q}, all)
		got := ""
		for _, r := range rows {
			got += r.Given
		}
		if err != nil {
			got = "refused"
		}
		if got != want {
			t.Errorf("%s: %s, want %s", query, got, want)
		}
	}
}
