package files

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/shopspring/decimal"

	"manudex/core/when"
)

func someTransfers() Transfers {
	amount := decimal.RequireFromString
	return Transfers{Message: "RUN9-20261125", Made: time.Date(2026, 11, 25, 10, 0, 0, 0, time.UTC), Debtor: "Ebbwater Works & Sons",
		From: Account{Number: "7700112233", System: "USABA", Member: "021000021"}, On: when.NewDate(2026, 11, 27), Currency: "USD",
		Decimals: 2,
		Each: []Transfer{
			{ID: "RUN9-2034", Name: "Tomasz Brandt", To: Account{Number: "4400556677", System: "USABA", Member: "011401533"},
				Amount: amount("1204.50"),
				Text:   "Pay run 9"},
			{ID: "RUN9-2040", Name: "Dao Pham", To: Account{IBAN: "GB82WEST12345698765432"}, Amount: amount("987.65")},
			{ID: "RUN9-2051", Name: "Ottilie <Leander>", To: Account{IBAN: "DE89370400440532013000", BIC: "COBADEFFXXX"},
				Amount: amount("0.85")}}}
}

func written(t *testing.T, of Transfers) string {
	t.Helper()
	var b bytes.Buffer
	if err := WriteTransfers(&b, of); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// The message has its elements in their order, its counts and sums, and is XML by another reader's word.
func TestTransfers(t *testing.T) {
	text := written(t, someTransfers())
	for _, want := range []string{"<MsgId>RUN9-20261125</MsgId>", "<NbOfTxs>3</NbOfTxs>", "<CtrlSum>2193.00</CtrlSum>",
		"<Dt>2026-11-27</Dt>",
		`<InstdAmt Ccy="USD">987.65</InstdAmt>`, "<IBAN>GB82WEST12345698765432</IBAN>", "<MmbId>011401533</MmbId>",
		"<BICFI>COBADEFFXXX</BICFI>",
		"<Nm>Ottilie &lt;Leander&gt;</Nm>", "<Cd>SALA</Cd>"} {
		if !strings.Contains(text, want) {
			t.Errorf("no %s in\n%s", want, text)
		}
	}
	if wrong := CheckTransfers([]byte(text)); len(wrong) > 0 {
		t.Errorf("against its definition: %v", wrong)
	}
	at := filepath.Join(t.TempDir(), "pain.xml")
	if err := os.WriteFile(at, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	if lint, err := exec.LookPath("xmllint"); err == nil {
		if out, err := exec.Command(lint, "--noout", at).CombinedOutput(); err != nil {
			t.Errorf("xmllint: %v\n%s", err, out)
		}
	}
	euro := someTransfers()
	euro.From, euro.Currency = Account{IBAN: "DE89370400440532013000"}, "EUR"
	if text := written(t, euro); !strings.Contains(text, "<Id>NOTPROVIDED</Id>") {
		t.Error("a bank that isn't known isn't said to be so")
	}
	yen := someTransfers()
	yen.Currency, yen.Decimals, yen.Each = "JPY", 0, yen.Each[:1]
	yen.Each[0].Amount = decimal.RequireFromString("120450")
	if text := written(t, yen); !strings.Contains(text, `<InstdAmt Ccy="JPY">120450</InstdAmt>`) {
		t.Error("an amount without decimals")
	}
}

// Messages that are broken are refused, each for its reason.
func TestBrokenTransfers(t *testing.T) {
	good := written(t, someTransfers())
	for _, c := range []struct{ old, new, why string }{
		{"</Document>", "", "it isn't XML"},
		{"pain.001.001.09", "pain.001.001.03", "it is no pain.001.001.09"},
		{"<MsgId>RUN9-20261125</MsgId>", "", "MsgId is missing in Document/CstmrCdtTrfInitn/GrpHdr"},
		{"<MsgId>RUN9-20261125</MsgId>", "<MsgId>RUN9-20261125-0123456789-0123456789-01</MsgId>", "at most 35 characters"},
		{"<EndToEndId>RUN9-2034</EndToEndId>", "<EndToEndId>RUN9_2034</EndToEndId>", "of the Latin set"},
		{"RUN9-2040", "RUN9-2034", "the id RUN9-2034 is there twice"},
		{"<PmtMtd>TRF</PmtMtd>", "<PmtMtd>CASH</PmtMtd>", "PmtMtd can't be “CASH”"},
		{"<NbOfTxs>3</NbOfTxs>", "<NbOfTxs>4</NbOfTxs>", "names 4 transfers and holds 3"},
		{"<CtrlSum>2193.00</CtrlSum>", "<CtrlSum>2193.01</CtrlSum>", "names 2193.01 and comes to 2193"},
		{"GB82WEST12345698765432", "GB82WEST12345698765433", "its check digits don't fit"},
		{`<InstdAmt Ccy="USD">987.65</InstdAmt>`, `<InstdAmt Ccy="USD">-987.65</InstdAmt>`, "InstdAmt can't be “-987.65”"},
		{`<InstdAmt Ccy="USD">987.65</InstdAmt>`, `<InstdAmt>987.65</InstdAmt>`, "names no currency"},
		{"<Dt>2026-11-27</Dt>", "<Dt>27.11.2026</Dt>", "Dt can't be “27.11.2026”"},
		{"<Cdtr>", "<Bonus>1</Bonus><Cdtr>", "can't hold Bonus"},
		{"<BICFI>COBADEFFXXX</BICFI>", "<BICFI>COBA</BICFI>", "BICFI can't be “COBA”"},
	} {
		if !strings.Contains(good, c.old) {
			t.Fatalf("no %s to break", c.old)
		}
		if wrong := strings.Join(CheckTransfers([]byte(strings.Replace(good, c.old, c.new, 1))), "; "); !strings.Contains(wrong, c.why) {
			t.Errorf("%s for %s: %q, want %q", c.new, c.old, wrong, c.why)
		}
	}
	debtor := good[strings.Index(good, "<Dbtr>"):strings.Index(good, "<DbtrAcct>")]
	moved := strings.Replace(strings.Replace(good, debtor, "", 1), "<DbtrAgt>", debtor+"<DbtrAgt>", 1)
	if wrong := strings.Join(CheckTransfers([]byte(moved)), "; "); !strings.Contains(wrong, "Dbtr stands too late") {
		t.Errorf("out of order: %q", wrong)
	}
	for why, change := range map[string]func(*Transfers){
		"have the id RUN9-2034":  func(x *Transfers) { x.Each[1].ID = "RUN9-2034" },
		"would get 0":            func(x *Transfers) { x.Each[0].Amount = decimal.Zero },
		"no such part":           func(x *Transfers) { x.Each[0].Amount = decimal.RequireFromString("1.005") },
		"wouldn't take them":     func(x *Transfers) { x.Message = strings.Repeat("x", 36) },
		"CdtTrfTxInf is missing": func(x *Transfers) { x.Each = nil },
	} {
		of := someTransfers()
		change(&of)
		if err := WriteTransfers(&bytes.Buffer{}, of); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("%s: %v", why, err)
		}
	}
}

// IBANs as the registry of ISO 13616 prints them, and routing numbers by their check digit.
func TestAccounts(t *testing.T) {
	for _, iban := range []string{"GB29 NWBK 6016 1331 9268 19", "DE89 3704 0044 0532 0130 00", "FR14 2004 1010 0505 0001 3M02 606",
		"NO93 8601 1117 947", "CH93 0076 2011 6238 5295 7", "ES91 2100 0418 4502 0005 1332", "nl91abna0417164300"} {
		if got, err := ParseIBAN(iban); err != nil || strings.Contains(got, " ") {
			t.Errorf("%s: %q, %v", iban, got, err)
		}
	}
	for _, iban := range []string{"", "GB29", "GB29 NWBK 6016 1331 9268 1", "DE88 3704 0044 0532 0130 00", "12345678901234567"} {
		if got, err := ParseIBAN(iban); err == nil {
			t.Errorf("%q is taken for %s", iban, got)
		}
	}
	for _, a := range []Account{{}, {Number: "1"}, {Number: "1", Member: "021000022"}, {Number: "1", Member: "12345678x"},
		{Number: "ü", BIC: "COBADEFF"},
		{IBAN: "GB29NWBK60161331926819", BIC: "X"}} {
		if got, err := a.Check(); err == nil {
			t.Errorf("%+v is taken for %+v", a, got)
		}
	}
	if a, err := (Account{Number: " 4400556677 ", Member: "011401533"}).Check(); err != nil || a.System != "USABA" || a.Shown() != "…6677" {
		t.Errorf("%+v %s, %v", a, a.Shown(), err)
	}
}
