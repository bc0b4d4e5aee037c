from epistem.cli import main

main(prog_name="epistem")
