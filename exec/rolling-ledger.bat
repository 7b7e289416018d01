@echo off
rem The command where the first line of a script is not read: runs the script beside this file.
setlocal
set R_ENVIRON_USER=NUL
set R_ENABLE_JIT=0
Rscript --no-init-file --default-packages=NULL "%~dp0rolling-ledger" %*
exit /b %ERRORLEVEL%
