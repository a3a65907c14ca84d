package e2e

import (
	"bytes"
	"encoding/base64"
	"os"
	"strings"
	"testing"
	"time"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/demo"
)

// The payroll clerk's last day: a bonus over three weeks and a deduction, hours nobody approved answered, a second person's
// check that lapses when one of them is approved, the closing, a layout beside what comes of it, and a run that was wrong turned.
func TestTheLastDay(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	apptest.Must(t, s.Do(ctx, s.Person(t, "Mira Castellane"), company.SetCompany{Field: "second_check", Value: "yes"}))
	late := apptest.Ref(t, s.World, "Tomasz Brandt", when.NewDate(2026, 11, 12))
	apptest.ApproveAll(t, s.World, when.NewDate(2026, 11, 21), late)
	s.moveTo(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	clerk, manager := s.device(1280, 800), s.device(1280, 800)
	clerk.signIn("Sana Verity")
	manager.signIn("Mira Castellane")

	// Besides the hours.
	clerk.open("/payruns")
	clerk.press("^Besides the hours$")
	fill := func(values map[string]string) {
		for name, value := range values {
			clerk.MustElement("#a-" + name).MustSelectAllText().MustInput(value)
		}
	}
	on := func(name string, d time.Time) { clerk.MustElement("#a-" + name).MustInputTime(d) }
	fill(map[string]string{"who": "Tomasz Brandt", "what": "Safety bonus", "pay_code": "BONUS", "amount": "300.001"})
	clerk.MustElement(`[name="in_regular_rate"]`).MustClick()
	on("over_from", time.Date(2026, 10, 25, 0, 0, 0, 0, time.UTC))
	on("over_to", time.Date(2026, 11, 14, 0, 0, 0, 0, time.UTC))
	clerk.watch.off = true // the refusal is a 422, which the browser notes
	clerk.press("^Add it$")
	clerk.sees(".wrong", "The currency has no such part")
	clerk.watch.off = false
	fill(map[string]string{"amount": "300.00"})
	clerk.press("^Add it$")
	clerk.sees("tr.r", "Tomasz Brandt[^]*Safety bonus[^]*earned 25 Oct – 14 Nov[^]*300.00")
	fill(map[string]string{"who": "2034", "what": "Tool fund", "pay_code": "TOOLS", "amount": "12.50"})
	clerk.MustElement("#a-does").MustSelect("a deduction, after gross")
	on("until", time.Date(2026, 12, 31, 0, 0, 0, 0, time.UTC))
	clerk.press("^Add it$")
	clerk.sees("tr.r", "Tool fund[^]*−12.50[^]*every run to 31 Dec 2026")
	clerk.fits("besides the hours")
	clerk.press("^Back to the run$")
	clerk.sees("tr.r", "Tomasz Brandt[^]*300.00[^]*−12.50")

	// Nobody is passed over.
	clerk.sees(".standing", "answered")
	clerk.leaveOut("nobody could be reached")
	clerk.sees("tr.r", "Tomasz Brandt[^]*left out: *nobody could be reached")

	// A second person checks; an approval makes it lapse, by name.
	clerk.sees("p.quiet", "Nobody has looked this run over yet")
	manager.open("/payruns")
	manager.press("I looked it over")
	manager.sees(".standing", "Checked by Mira Castellane")
	s.moveTo(time.Date(2026, 11, 23, 15, 5, 0, 0, time.UTC))
	apptest.ApproveAll(t, s.World, when.NewDate(2026, 11, 21))
	clerk.open("/payruns")
	clerk.sees(".standing", "It changed since Mira Castellane checked it[^]*Tomasz Brandt: [0-9,.]+ → [0-9,.]+")
	manager.open("/payruns")
	manager.press("I looked it over")
	manager.sees(".standing", "as it stands")
	clerk.open("/payruns")
	clerk.MustElement(".addtask input[name=words]").MustInput("Send it to the bank")
	clerk.press("^Add$")
	clerk.press("^Send it to the bank$")
	clerk.sees(".tick.on", "Send it to the bank")

	// Closed, it says why it pays what it pays, also of weeks that were paid.
	clerk.closeRun()
	clerk.sees("tr.r", "Tomasz Brandt").MustElement("td.who a").MustClick()
	clerk.sees(".payweek", "overtime on a bonus[^]*29 CFR 778.209")
	clerk.press("^The run$")

	// A layout, beside what comes of it.
	clerk.press("^Files$")
	clerk.sees("tr.r", "totals.xlsx[^]*not yet")
	clerk.press("^Layouts$")
	clerk.press("^A new layout$")
	clerk.sees("#preview pre", "EMPLOYEE,CODE,HOURS,AMOUNT")
	clerk.MustElement("#l-name").MustInput("Our payroll")
	clerk.MustElement("#l-columns").MustSelectAllText().MustInput("NR = number\nSTD = hours")
	clerk.MustElement("#l-separator").MustSelect("a semicolon")
	clerk.MustElement("#l-rows").MustSelect("a person")
	clerk.sees("#preview", "NR;STD\n2010;[^]*leaves out[^]*300.00 of BONUS")
	clerk.MustElement("#l-columns").MustSelectAllText().MustInput("NR = colour")
	clerk.sees("#preview", "which isn't known")
	clerk.MustElement("#l-columns").MustSelectAllText().MustInput("NR = number\nSTD = hours\nBRUTTO = gross\nAB = deducted")
	clerk.sees("#preview pre", "NR;STD;BRUTTO;AB")
	clerk.fits("a layout")
	clerk.accessible("a layout", "all")
	s.shot(clerk, "layout")
	clerk.MustElement("#l-from").MustInputTime(time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC))
	clerk.press("^Keep the layout$")
	clerk.sees(".said", "The layout is kept")
	run := dbtest.Get[string](t, s.World, `select id::text from run order by number desc limit 1`)
	clerk.open("/payruns/" + run + "/files")
	href := *clerk.sees("a", "our-payroll").MustAttribute("href")
	first := clerk.MustEval(`(href) => fetch(href).then(r => r.text())`, href).Str()
	if !strings.HasPrefix(first, "NR;STD;BRUTTO;AB\r\n2010;") ||
		first != clerk.MustEval(`(href) => fetch(href).then(r => r.text())`, href).Str() {
		t.Errorf("the file of the layout: %.80s", first)
	}
	clerk.fits("files of a run")
	clerk.accessible("files of a run", "all")

	// It was wrong: it's turned, and paid anew.
	clerk.open("/payruns/" + run)
	clerk.press("Turn this run")
	clerk.MustElement("#why").MustInput("a rate was wrong")
	clerk.MustElement("#password").MustInput(demo.Password)
	clerk.press("^Turn it$")
	clerk.sees(".said", "The run is turned")
	clerk.sees("h1", "turning run")
	clerk.open("/payruns")
	clerk.sees("h1", "Open run, 8–21 Nov 2026")
	clerk.sees(".runlist", "turned by run")
}

// Somebody's final pay, prepared and closed before the period ends, and sent to the bank; the period's own run has nothing of
// theirs.
func TestAFinalPay(t *testing.T) {
	s := open(t)
	var err error
	s.App.Keys, err = app.ParseKeyring(base64.StdEncoding.EncodeToString(bytes.Repeat([]byte{7}, 32)))
	apptest.Must(t, err)
	s.moveTo(time.Date(2026, 11, 14, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, s.World, when.NewDate(2026, 11, 13))
	clerk := s.device(1280, 800)
	clerk.signIn("Sana Verity")
	clerk.open("/payruns")
	clerk.press("^For some people$")
	clerk.MustElement("#o-who").MustInput("Mei Dragovic")
	clerk.MustElement("#o-why").MustInput("final pay")
	clerk.MustElement("#o-to").MustInputTime(time.Date(2026, 11, 12, 0, 0, 0, 0, time.UTC))
	clerk.MustElement(`[name="final"]`).MustClick()
	clerk.fits("runs for some people")
	clerk.accessible("runs for some people", "all")
	clerk.press("^Prepare it$")
	clerk.sees("h1", "final pay")
	clerk.sees("tr.r", "Mei Dragovic")
	clerk.fits("a run that is prepared")
	clerk.accessible("a run that is prepared", "all")
	clerk.MustElement("#password").MustInput(demo.Password)
	clerk.press("^Close it: 1 person")
	clerk.sees(".said", "The run is closed")

	// What they get comes from the payroll, into their account; the file for the bank is made once.
	clerk.press("^Files$")
	clerk.press("^Credit transfers")
	number := dbtest.Get[string](t, s.World, `select number from person where given_name || ' ' || family_name = 'Mei Dragovic'`)
	net := t.TempDir() + "/net.csv"
	apptest.Must(t, os.WriteFile(net, []byte("who,net\n"+number+",512.34\n"), 0o600))
	clerk.MustElement("#t-file").MustSetFiles(net)
	clerk.press("^Bring it in$")
	clerk.sees("tr.r", "Mei Dragovic[^]*512.34[^]*no account")
	clerk.MustElement("#p-who").MustInput("Mei Dragovic")
	clerk.watch.off = true // the refusal is a 422, which the browser notes
	clerk.MustElement("#p-iban").MustInput("GB83 WEST 1234 5698 7654 32")
	clerk.press("^Keep it$")
	clerk.sees(".wrong", "IBAN")
	clerk.watch.off = false
	clerk.MustElement("#p-who").MustSelectAllText().MustInput("Mei Dragovic")
	clerk.MustElement("#p-iban").MustSelectAllText().MustInput("GB82 WEST 1234 5698 7654 32")
	clerk.press("^Keep it$")
	clerk.sees("tr.r", "Mei Dragovic[^]*512.34[^]*5432")
	clerk.press("^Another account to pay out of$")
	clerk.MustElement("#d-number").MustInput("7700112233")
	clerk.MustElement("#d-member").MustInput("021000021")
	clerk.press("^Add it$")
	clerk.sees("#t-debtor", "2233")
	clerk.press("^Make them$")
	made := clerk.sees("a", "^transfers-.*xml$")
	file := clerk.MustEval(`(href) => fetch(href).then(r => r.text())`, *made.MustAttribute("href")).Str()
	for _, part := range []string{`<InstdAmt Ccy="USD">512.34</InstdAmt>`, "<NbOfTxs>1</NbOfTxs>", "<IBAN>GB82WEST12345698765432</IBAN>"} {
		if !strings.Contains(file, part) {
			t.Errorf("the transfers don't say %s:\n%s", part, file)
		}
	}
	clerk.fits("credit transfers")

	clerk.open("/payruns")
	clerk.sees("h1", "Open run, 8–21 Nov 2026")
	clerk.sees(".runlist", "final pay")
}
