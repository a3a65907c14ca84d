# The usual names for the scripts that do the work.
.PHONY: run test bench lint screenshots
run: ; ./demo.sh
test: ; ./test.sh
bench: ; ./bench.sh
lint: ; gofmt -l $$(git ls-files '*.go') && go vet ./...
screenshots: ; scripts/screenshots.sh
