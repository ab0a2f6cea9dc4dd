"""What a memory test's log comes to: nothing that it does not say, and no error missed."""

from __future__ import annotations

import pytest

from umbrak.formats.faults import InputError
from umbrak.formats.test_log import read_test_log

#: Log, passes that ended, errors.
LOGS = [
    ("fail fast: off\nMax errors: 10000\nstop after 10 errors\nmode: fail-safe\nPass: 2 Errors: 0", 2, 0),
    ("Maximum number of errors: 500\nStopped after 500 errors", 0, 500),
    ("Pass 1 stopped after 10 errors", 0, 10),
    ("pass 2 complete with no errors; aborted in pass 3", 2, 0),
    ("Pass 2 of 2 finished. Errors: 0", 2, 0),
    ("memory test: ok", 1, 0),
    ("Test result: good", 1, 0),
    ("RAM test PASSED\n", 1, 0),
    ("Verdict: FAIL", 0, 1),
    ("3 of 3 tests passed", 1, 0),
    ("2 of 3 tests passed", 0, 0),
    ("0 of 12 tests passed", 0, 1),
    ("Test 1 ok\nTest 2 ok\nTest 3 FAIL\n", 0, 1),
    ("Correctable errors: 3\nUncorrectable errors: 0\nPasses: 2", 2, 3),
    ("No failures. 4 cycles done.", 4, 0),
    ("24 hours, 6 loops, 0 mismatches", 6, 0),
    ("requested passes: 8\npasses done: 3\nerrors: 0", 3, 0),
    ("pass 8 of 8 begun\n", 7, 0),
    ("checksum error at 0x1000", 0, 1),
    ("Errors: 12 (8 corrected)\nPass: 1", 1, 12),
    ("Pass: 1/4 Test: 8/13 (moving inversions) Errors: 0", 0, 0),
    ("Test complete, press any key to exit.\nPass: 2  Errors: 0", 2, 0),
    ("The test passed its first phase and was then stopped by the operator", 0, 0),
    ("passed\npassed\nfailed\n", 0, 1),
    ("fault: none\nloop 4 done", 4, 0),
    ("Total errors 0, total passes 5", 5, 0),
    ("5 passes, 2 with errors", 5, 2),
    ("Loop 1/3:\n  Stuck Address       : ok\n  Random Value        : ok\nLoop 2/3:\n  Stuck Address : ok\n  Random Value : setting  12", 1, 0),
    ("Loop 1/2:\n  Stuck Address       : ok\nLoop 2/2:\n  Stuck Address : ok\n\nDone.\n", 2, 0),
    ("Loop 1:\n  Stuck Address       : ok\n  Compare XOR: FAILURE: 0x00ff != 0x01ff at offset 0x00400000.\nLoop 2:\n ok\nDone.", 2, 1),
    ("0 passed, 3 failed", 0, 3),
    ("10 passed, 0 failed", 1, 0),
    ("Tests passed: 10, failed: 2", 0, 2),
    ("Test not passed", 0, 1),
    ("The test did not pass.", 0, 1),
    ("Pass: 4   Errors: 0", 4, 0),
    ("Time: 3:01:22  Pass: 2  Test: 5  Errors: 0", 1, 0),
    ("0 of 4 passes completed, 0 errors", 0, 0),
    ("Completed 1/4 passes, 0 errors", 1, 0),
    ("4 passes completed, no errors", 4, 0),
    ("Passes completed: 4/4\nErrors: 0", 4, 0),
    ("Pass 1 started\nPass 1 complete, 0 errors\nPass 2 started\nAborted by user", 1, 0),
    ("Pass 1 of 4 started\naborted", 0, 0),
    ("Will run 4 passes.\nPass 1/4 ... ok\nPass 2/4 ... ok\nPass 3/4 ... ok\nPass 4/4 ... ok\nAll tests passed.", 4, 0),
    ("Errors: 0x1A", 0, 26),
    ("Errors: 1,234\nPass: 2", 2, 1234),
    ("ECC errors corrected: 12\nPass: 1\nErrors: 0", 1, 12),
    ("tested 64 GB; 3 passes; 0 errors; ECC corrected: 2", 3, 2),
    ("3 passes, 0 errors, 4 ECC corrections", 3, 4),
    ("3 passes, 0 errors, corrected: 0", 3, 0),
    ("Errors found: none\nPasses: 3", 3, 0),
    ("Test 5 ... passed\nTest 6 ... FAILED", 0, 1),
    ("PASSED with 3 errors", 0, 3),
    ("PASS/FAIL criteria: stop on first error\nResult: PASS", 1, 0),
    ("Press ESC to abort\nTest passed", 1, 0),
    ("Test finished: no errors found", 1, 0),
    ("memory test: interrupted\nno errors so far", 0, 0),
    ("iteration 1: errors 0\niteration 2: errors 0\niteration 3: errors 0\nStatus: OK", 3, 0),
    ("want 1024MB (1073741824 bytes)\ngot  1024MB (1073741824 bytes), trying mlock ...locked.\nLoop 1/1:\n ok\nDone.", 1, 0),
    ("Test 6 passed, test 7 failed", 0, 1),
    ("Stopped after 2 passes, 0 errors", 2, 0),
    ("2 passes without errors", 2, 0),
    ("Status: PASS - Found no hardware incidents, please verify.\nStats: Completed: 1234M in 60s, 0 errors, 0 hardware incidents", 1, 0),
    ("Status: FAIL - test discovered HW problems\nStats: Found 2 hardware incidents", 0, 1),
    ("Pass 1 #1 0 errors\n", 1, 0),
    ("Pass #3, 12% done, 0 errors", 2, 0),
    ("loop 5 of 10\nloop 6 of 10\n", 5, 0),
    ("all tests ok", 1, 0),
    ("Running 3 loops. No errors.", 1, 0),
    ("Number of passes: 3. Number of errors: 0.", 3, 0),
    ("error count 5, pass count 2", 2, 5),
    ("Errors = 0\nRun time 4 hours", 1, 0),
    ("failed tests: none; passes: 2", 2, 0),
    ("not ok", 0, 1),
    ("no errors were found", 1, 0),
    ("Test ended without errors", 1, 0),
    ("Test: ended with 0 errors", 1, 0),
    ("with no errors, 2 passes", 2, 0),
    ("Stop with error: disabled\nPass: 1 Errors: 0", 1, 0),
    ("problems found: 0, passes 3", 3, 0),
    ("Found 4 problems", 0, 4),
    ("A2 pass 12 errors", 12, 12),
    ("errors detected in pass 2: 0x3", 1, 1),
    ("MemCheck 3.1\nPass   1 : 100%\nPass   2 :  37%\n", 1, 0),
    ("Pass 3/3 [==========] 100% 0 errors\nAll passes finished.", 3, 0),
    ("[ 12.3] mt: pass 1 ended, errors=0\n[ 99.1] mt: pass 2 ended, errors=4", 2, 4),
    ("Error count: 0 | Pass count: 7", 7, 0),
    ("No errors detected in 2 full passes.", 2, 0),
    ("Test #7 [Block move] Pass: 0 Errors: 0", 0, 0),
    ("RESULT = FAIL (17 errors)", 0, 17),
    ("DIMM A1: bad bits 3\n", 0, 3),
    ("DIMM A1 FAIL\nDIMM A2 PASS\n", 0, 1),
    ("errors: 0 passes: 0 (test interrupted after 4 min)", 0, 0),
    ("Completed 100%. Errors: 0", 1, 0),
    ("passes=2;errors=0;status=complete", 2, 0),
    ("Summary: 3 passes run, 0 miscompares", 3, 0),
    ("Test time 02:11:09, 1 pass, 0 error(s)", 1, 0),
    ("No problems have been detected yet.", 0, 0),
    ("Overall test progress: 21% complete\nPass 1 of 2: 42% complete", 0, 0),
    ("The memory test completed and detected no errors", 1, 0),
    ("The memory test has detected hardware problems", 0, 1),
    ("Round 2 ok\nRound 3 ok", 3, 0),
    ("ERRORS DETECTED", 0, 1),
    ("There were errors.", 0, 1),
    ("Test ended with errors", 0, 1),
]  # fmt: skip


@pytest.mark.parametrize(("log", "passes", "errors"), LOGS)
def test_what_a_log_says(log: str, passes: int, errors: int) -> None:
    found = read_test_log(log.encode())
    assert (found.passes, found.errors) == (passes, errors)
    assert found.because


@pytest.mark.parametrize("log", [
    "Memory test OK",
    "Pass  Test  Errors\n 1     all      0\n",
    "kein Fehler gefunden, 2 Durchläufe",
    "Pass 45% ####   Test 30%",
    "Test cancelled at 37%",
    "hello\nworld",
    "unexpected value at 0x10\nexit code 1",
])  # fmt: skip
def test_a_log_that_tells_of_neither_is_entered_by_hand(log: str) -> None:
    with pytest.raises(InputError, match="enter the verdict by hand"):
        read_test_log(log.encode())


@pytest.mark.parametrize(
    ("log", "gib"),
    [
        ("want 2048MB (2147483648 bytes)\ngot  1024MB (1073741824 bytes), trying mlock ...locked.\nLoop 1/1:\nDone.", 1),
        ("memory tested: 63.5 GiB\n1 pass, 0 errors", 63.5),
        ("tested 131,072 MB in 3 h\npasses: 1", 128),
        ("Testing: 1024K - 2048M\nPass: 1", None),
        ("passes: 1", None),
    ],
)  # fmt: skip
def test_how_much_it_says_it_tested(log: str, gib: float | None) -> None:
    assert read_test_log(log.encode()).tested_gib == gib


@pytest.mark.parametrize(("log", "passes", "errors"), LOGS)
def test_a_broken_off_log_says_no_more(log: str, passes: int, errors: int) -> None:
    """Less of a log has no more passes in it, and what comes after an error does not take it away."""
    lines = log.splitlines()
    for n in range(1, len(lines)):
        try:
            part = read_test_log("\n".join([*lines[:n], "aborted"]).encode())
        except InputError:
            continue
        assert part.passes <= max(passes, 1)
    after = read_test_log("\n".join([log, "Pass: 9  Errors: 0"]).encode())
    assert after.errors == errors
